"""Things that may raise, swept together along one dial: a tally that follows single raises, tied by the re-arm time of each object."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from lantern.core.objects.dials import ObjectDials
from lantern.core.objects.kinds import rearm
from lantern.core.tuning.scoring import Mark, Slack
from lantern.core.tuning.sweep import Row, value_inside
from lantern.core.tuning.tally import Counts, Tally
from lantern.core.tuning.wanted import still_wanted

NARROWEST = 1e-6  # px or s; stretches narrower than this are no results
Steps = list[tuple[float, float | None]]


@dataclass
class Raisers:
    """Of one region: for each object its raisers."""

    dials: ObjectDials
    of_object: dict[int, list[Steps]] = field(default_factory=dict)


@dataclass
class _Object:
    """Where its raisers stand at the dial's present value, and which of their raises the re-arm time lets through."""

    dials: ObjectDials
    now: list[float | None]
    let: list[float]

    def follow(self, tally: Tally, raiser: int, t: float | None) -> None:
        if len(self.now) == 1:
            before, self.now[0] = self.now[0], t
            _follow(tally, before, t)
            return
        came, went = self.moved(raiser, t)
        for x in came:
            tally.add(x)
        for x in went:
            tally.remove(x)

    def moved(self, raiser: int, t: float | None) -> tuple[list[float], list[float]]:
        """(came, went): raises that a step changes."""
        self.now[raiser] = t
        fresh: list[float] = []
        since_s: float | None = None
        for at in sorted(x for x in self.now if x is not None):
            passes, since_s = rearm(since_s, at, self.dials)
            if passes:
                fresh.append(at)
        came, went = [x for x in fresh if x not in self.let], [x for x in self.let if x not in fresh]
        self.let = fresh
        return came, went


def _follow(tally: Tally, before: float | None, after: float | None) -> None:
    if before is not None and after is not None:
        tally.move(before, after)
    elif after is not None:
        tally.add(after)
    elif before is not None:
        tally.remove(before)


def rows_of(
    regions: Sequence[Raisers], marks: Sequence[Mark], low: float, high: float, slack: Slack, apart: int
) -> list[Row]:
    """Rows that join up from `low` to `high`; a row ends where one of the first `apart` counts changes."""
    tally = Tally(marks, slack)
    objects: list[_Object] = []
    steps: list[tuple[float, int, int, float | None]] = []
    for region in regions:
        still_wanted()
        for raisers in region.of_object.values():
            one = _Object(region.dials, [None] * len(raisers), [])
            for number, its in enumerate(raisers):
                for value, t in its:
                    if value <= low:
                        one.now[number] = t
                    elif value < high:
                        steps.append((value, len(objects), number, t))
            one.let = one.moved(0, one.now[0])[0]
            for t in one.let:
                tally.add(t)
            objects.append(one)
    steps.sort(key=lambda step: step[0])
    pieces: list[tuple[float, float, Counts]] = []
    at, counts = low, tally.counts()
    i = 0
    while i < len(steps):
        bound = steps[i][0]
        still_wanted()
        while i < len(steps) and steps[i][0] < bound + NARROWEST:
            _, owner, number, t = steps[i]
            objects[owner].follow(tally, number, t)
            i += 1
        fresh = tally.counts()
        if fresh != counts and fresh[:apart] != counts[:apart]:
            pieces.append((at, bound, counts))
            at = bound
        counts = fresh
    pieces.append((at, high, counts))
    return [Row(start, stop, value_inside(start, stop), each) for start, stop, each in pieces]
