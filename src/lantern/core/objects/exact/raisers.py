"""Things that may raise, swept together along one dial: a tally that follows single raises, tied by the re-arm time of each object."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from operator import itemgetter

import numpy as np

from lantern.core.objects.dials import ObjectDials
from lantern.core.objects.kinds import rearm
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.scoring.tally import Counts, Tally
from lantern.core.tuning.rows import Row, value_inside
from lantern.core.tuning.wanted import still_wanted

NARROWEST = 1e-6  # px or s; stretches narrower than this are no results
Steps = list[tuple[float, float | None]]


@dataclass
class Raisers:
    """The raisers of one region, for each object."""

    dials: ObjectDials
    of_object: dict[int, list[Steps]] = field(default_factory=dict)


Raise = tuple[float, int]  # when, and the zone of the tally in which that lies


@dataclass
class _Object:
    """Where its raisers stand at the dial's present value, and which of their raises the re-arm time lets through."""

    dials: ObjectDials
    now: list[Raise | None]
    let: list[Raise]

    def follow(self, tally: Tally, raiser: int, now: Raise | None) -> None:
        if len(self.now) == 1:
            before, self.now[0] = self.now[0], now
            if before is not None and now is not None and before[1] == now[1]:
                tally.shift(now[1], before[0], now[0])
                return
            came, went = [] if now is None else [now], [] if before is None else [before]
        else:
            came, went = self.moved(raiser, now)
        for t, zone in came:
            tally.change(zone, t, 1)
        for t, zone in went:
            tally.change(zone, t, -1)

    def moved(self, raiser: int, now: Raise | None) -> tuple[list[Raise], list[Raise]]:
        """(came, went): raises that a step changes."""
        self.now[raiser] = now
        fresh: list[Raise] = []
        since_s: float | None = None
        for each in sorted(x for x in self.now if x is not None):
            passes, since_s = rearm(since_s, each[0], self.dials)
            if passes:
                fresh.append(each)
        came, went = [x for x in fresh if x not in self.let], [x for x in self.let if x not in fresh]
        self.let = fresh
        return came, went


def rows_of(
    regions: Sequence[Raisers], marks: Sequence[Mark], low: float, high: float, slack: Slack, compared: int
) -> list[Row]:
    """Rows that join up from `low` to `high`; a row ends where one of the first `compared` counts changes."""
    tally = Tally(marks, slack)
    every = [(region.dials, raisers) for region in regions for raisers in region.of_object.values()]
    zones = iter(tally.zones(np.array([t for _, its in every for one in its for _, t in one if t is not None])))
    objects: list[_Object] = []
    steps: list[tuple[float, int, int, Raise | None]] = []
    for owner, (dials, raisers) in enumerate(every):
        still_wanted()
        one = _Object(dials, [None] * len(raisers), [])
        for number, its in enumerate(raisers):
            for value, t in its:
                raised = None if t is None else (t, next(zones))
                if value <= low:
                    one.now[number] = raised
                elif value < high:
                    steps.append((value, owner, number, raised))
        one.let = one.moved(0, one.now[0])[0]
        for t, zone in one.let:
            tally.change(zone, t, 1)
        objects.append(one)
    steps.sort(key=itemgetter(0))
    pieces: list[tuple[float, float, Counts]] = []
    at, counts = low, tally.counts()
    i = 0
    while i < len(steps):
        bound = steps[i][0]
        still_wanted()
        while i < len(steps) and steps[i][0] < bound + NARROWEST:
            _, owner, number, raised = steps[i]
            objects[owner].follow(tally, number, raised)
            i += 1
        fresh = tally.counts()
        if fresh != counts and fresh[:compared] != counts[:compared]:
            pieces.append((at, bound, counts))
            at = bound
        counts = fresh
    pieces.append((at, high, counts))
    return [Row(start, stop, value_inside(start, stop), each) for start, stop, each in pieces]
