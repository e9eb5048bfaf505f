"""What the user wishes of a detector, and the value of a dial that meets it with the evidence there is.

Judged at the bound, not at the count: no false alarm in twenty minutes does not show one a week. The proposal is the
middle of the widest stretch whose values all meet the wishes; where none does, the nearest is named, and what would help.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

from lantern.core.faults import FaultList
from lantern.core.tuning.intervals import events_for, exposure_for, rate_at_most

DAY_H = 24.0
FEW_MARKS = 5  # fewer say little about what is caught; common practice, no source


@dataclass(frozen=True, slots=True)
class Wishes:
    """At most so many false alarms a day (as an upper bound, 95 %), every hit within so many s, at most so many misses."""

    false_per_day: float | None = None
    delay_s: float | None = None
    misses: int = 0

    def __post_init__(self) -> None:
        faults = FaultList()
        if self.false_per_day is not None and not 0 < self.false_per_day <= 1e6:
            faults.add("false_per_day", f"{self.false_per_day:g}", "above 0, such as 0.143 for one a week; or empty")
        if self.delay_s is not None and not 0 < self.delay_s <= 1e6:
            faults.add("delay_s", f"{self.delay_s:g}", "above 0 s, or empty")
        if self.misses < 0:
            faults.add("misses", str(self.misses), "0 or more")
        faults.refuse_if_any()

    def as_dict(self) -> dict[str, Any]:
        return asdict(self)

    def failings(self, misses: int, false_alarms: int, longest_delay_s: float | None, exposure_h: float) -> list[str]:
        """Which wishes a result does not meet: misses, false alarms, delay."""
        out = []
        if misses > self.misses:
            out.append("misses")
        if self.false_per_day is not None:
            bound = rate_at_most(false_alarms, exposure_h)
            if bound is None or bound * DAY_H > self.false_per_day:
                out.append("false alarms")
        if self.delay_s is not None and longest_delay_s is not None and longest_delay_s > self.delay_s:
            out.append("delay")
        return out


@dataclass(frozen=True, slots=True)
class Result:
    """What a stretch of a dial gives: its ends, and the counts that hold on all of it."""

    start: float
    stop: float
    misses: int
    false_alarms: int
    longest_delay_s: float | None

    def nearness(self, wishes: Wishes) -> tuple[float, ...]:
        """Smaller is nearer: misses beyond the wish first, then false alarms, then delay beyond the wish."""
        late = 0.0
        if wishes.delay_s is not None and self.longest_delay_s is not None:
            late = max(self.longest_delay_s - wishes.delay_s, 0.0)
        return max(self.misses - wishes.misses, 0), self.false_alarms, late


@dataclass(frozen=True)
class Proposal:
    """`met`: does the stretch meet all wishes as shown by the evidence? `failing`: which it does not. `helps`: what would help."""

    start: float
    stop: float
    met: bool
    misses: int
    false_alarms: int
    longest_delay_s: float | None
    failing: tuple[str, ...]
    helps: tuple[str, ...]

    @property
    def middle(self) -> float:
        return (self.start + self.stop) / 2

    def as_dict(self) -> dict[str, Any]:
        return asdict(self) | {"middle": self.middle}


def propose(results: Sequence[Result], wishes: Wishes, exposure_h: float, expected: int) -> Proposal | None:
    """`results`: neighbours along the dial; `expected`: how many marks say what must raise. None without results."""
    if not results:
        return None

    def failing(r: Result) -> list[str]:
        return wishes.failings(r.misses, r.false_alarms, r.longest_delay_s, exposure_h)

    meeting = _joined([r for r in results if not failing(r)])
    if meeting:
        start, stop, inside = max(meeting, key=lambda m: m[1] - m[0])
        delays = [r.longest_delay_s for r in inside if r.longest_delay_s is not None]
        return Proposal(
            start,
            stop,
            True,
            max(r.misses for r in inside),
            max(r.false_alarms for r in inside),
            max(delays, default=None),
            (),
            tuple(_few_marks(expected)),
        )
    nearest = min(r.nearness(wishes) for r in results)
    start, stop, inside = max(_joined([r for r in results if r.nearness(wishes) == nearest]), key=lambda m: m[1] - m[0])
    slowest = max(inside, key=lambda r: r.longest_delay_s or 0.0)
    short = failing(slowest)
    helps = _helps(slowest, wishes, short, exposure_h) + _few_marks(expected)
    counts = slowest.misses, slowest.false_alarms, slowest.longest_delay_s
    return Proposal(start, stop, False, *counts, tuple(short), tuple(helps))


def _joined(results: Sequence[Result]) -> list[tuple[float, float, list[Result]]]:
    """Neighbours that meet end to end, as (start, stop, results)."""
    out: list[tuple[float, float, list[Result]]] = []
    for r in results:
        if out and out[-1][1] == r.start:
            out[-1] = (out[-1][0], r.stop, [*out[-1][2], r])
        else:
            out.append((r.start, r.stop, [r]))
    return out


def _helps(best: Result, wishes: Wishes, failing: Sequence[str], exposure_h: float) -> list[str]:
    out = []
    if "false alarms" in failing:
        assert wishes.false_per_day is not None
        days = exposure_for(wishes.false_per_day, 0)
        if best.false_alarms == 0:
            bound = rate_at_most(0, exposure_h)
            shown = "nothing" if bound is None else f"at most {bound * DAY_H:.3g} a day"
            out.append(
                f"a longer take: none in {exposure_h:.2g} h shows {shown}; {days:.3g} silent days would show the wish"
            )
        else:
            out.append("another statistic or a longer sustain time, or a compound with a second detector")
    if "misses" in failing:
        out.append("another statistic, a rise instead of a level, or a region closer to what should raise")
    if "delay" in failing:
        out.append("a shorter sustain time, if another dial can keep the false alarms away")
    return out


def _few_marks(expected: int) -> list[str]:
    if expected >= FEW_MARKS:
        return []
    needed = events_for(0.9)
    seen = "no mark" if expected == 0 else "1 mark" if expected == 1 else f"{expected} marks"
    return [f"more events: {seen} of what should raise; {needed} caught of {needed} would show 90 %"]
