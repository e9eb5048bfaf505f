"""How many are inside, from passages in and out; how far that drifts; and the capacity alarm that allows for the drift.

O = O0 + in - out. Each passage is caught with some probability r, so the drift of n visitors has mean n (r_in - r_out) and
standard deviation sqrt(n [r_in (1 - r_in) + r_out (1 - r_out)]) (binomial, textbook). Below nobody is nobody: what is cut
off there is kept count of.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from lantern.core.events import Event
from lantern.core.objects.dials import CountDials
from lantern.core.scoring.intervals import ONE_SIDED_Z, TWO_SIDED_Z, wilson

REGION = "occupancy"
FORETELLING = 100  # passages, below which nothing is foretold of a drift; common practice, no source


def drift(visitors: float, caught_in: float, caught_out: float) -> tuple[float, float]:
    """(mean, standard deviation) of the error of occupancy after so many visitors came and went."""
    variance = visitors * (caught_in * (1 - caught_in) + caught_out * (1 - caught_out))
    return visitors * (caught_in - caught_out), math.sqrt(variance)


def foretold(
    visitors: float, caught_in: tuple[int, int], caught_out: tuple[int, int]
) -> tuple[float, float, float] | None:
    """(mean, least, greatest) error of occupancy after so many visitors, by how many of how many were caught each way: 95 %, of
    the shares (Wilson) and of the chance by which passages are missed. None where so few passages foretell nothing.
    """
    if caught_in[1] + caught_out[1] < FORETELLING:
        return None
    into, out = wilson(*caught_in), wilson(*caught_out)
    if into is None or out is None:
        return None
    mean, deviation = drift(visitors, caught_in[0] / caught_in[1], caught_out[0] / caught_out[1])
    spread = TWO_SIDED_Z * deviation
    return mean, visitors * (into[0] - out[1]) - spread, visitors * (into[1] - out[0]) + spread


def guarded(capacity: int, deviation: float) -> int:
    """The least occupancy O at which O + z deviation reaches the capacity (z one-sided, 95 %)."""
    return max(math.ceil(capacity - ONE_SIDED_Z * deviation - 1e-9), 1)


@dataclass(frozen=True, slots=True)
class Occupancy:
    """After so many passages in and out. `clamped`: how many left that had never come in."""

    inside: int = 0
    came: int = 0
    left: int = 0
    clamped: int = 0
    raised: bool = False

    def deviation(self, missed_percent: float) -> float:
        p = missed_percent / 100
        return math.sqrt((self.came + self.left) * p * (1 - p))

    def level(self, dials: CountDials) -> int | None:
        """The occupancy that raises now; None without a capacity."""
        return None if dials.capacity is None else guarded(dials.capacity, self.deviation(dials.missed_percent))

    def passed(self, direction: str | None, dials: CountDials) -> Occupancy:
        """After one more passage; `raised` follows the capacity."""
        if direction == "in":
            after = replace(self, inside=self.inside + 1, came=self.came + 1)
        else:
            gone = min(self.inside, 1)
            after = replace(self, inside=self.inside - gone, left=self.left + 1, clamped=self.clamped + 1 - gone)
        level = after.level(dials)
        if level is None:
            return replace(after, raised=False)
        stay = level * dials.clear_percent / 100
        return replace(after, raised=after.inside >= stay if self.raised else after.inside >= level)


def with_capacity(events: Sequence[Event], dials: CountDials, detector: str) -> list[Event]:
    """The passages, in order of time, with the times at which the capacity was reached among them."""
    if dials.capacity is None:
        return list(events)
    state = Occupancy(dials.start_inside)
    open_at: Event | None = None
    peak = 0
    alarms: list[Event] = []
    for passage in events:
        before, state = state, state.passed(passage.direction, dials)
        peak = max(peak, state.inside)
        if state.raised and not before.raised:
            peak = state.inside
            why = {"inside": state.inside, "raises_at": state.level(dials), "capacity": dials.capacity}
            open_at = Event(detector, REGION, passage.raised_s, None, "end", False, float(peak), why=why)
        elif before.raised and not state.raised and open_at is not None:
            alarms.append(replace(open_at, cleared_s=passage.raised_s, cleared_by="reading", peak=float(peak)))
            open_at = None
    if open_at is not None:
        alarms.append(replace(open_at, peak=float(peak)))
    return sorted([*events, *alarms], key=lambda e: (e.raised_s, e.detector, e.region, str(e.object)))


def running(events: Sequence[Event], dials: CountDials) -> list[Occupancy]:
    """The state after each passage; alarms of the capacity are passed over."""
    state = Occupancy(dials.start_inside)
    out = []
    for event in events:
        if event.direction is not None:
            state = state.passed(event.direction, dials)
        out.append(state)
    return out
