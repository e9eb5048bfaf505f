"""The way that a target must come, exactly: from far to near, each run that comes far enough by then raises, and earlier and earlier."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import groupby, repeat
from operator import itemgetter
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from lantern.core.radar.deciding import Came, candidates, raised
from lantern.core.radar.dials import RadarDials
from lantern.core.radar.runs import Runs
from lantern.core.scoring.tally import Counts, Tally
from lantern.core.signals import Floats
from lantern.core.tuning.rows import Row, value_inside
from lantern.core.tuning.wanted import still_wanted
from lantern.core.watching import Indices


class Step(NamedTuple):
    """From this way down `run` comes far enough at `place`, at the time `t`, which lies in a zone of the marks."""

    way: float
    region: int
    run: int
    place: int
    t: float
    zone: int


def steps_of(
    region: int, runs: Runs, dials: RadarDials, low: float, t_s: Floats, zones: NDArray[np.int32]
) -> Iterator[Step]:
    """Yield where a run's raise moves as less and less is asked for: at each candidate that came farther than all before it.

    `t_s`, `zones` (k,) of each place. Where no raise keeps another from coming, one that moves within a zone in which nothing is expected
    changes no count, and is left out.
    """
    places = np.flatnonzero(candidates(runs, dials) & (runs.way_m > low))
    if not places.size:
        return
    way, run = runs.way_m[places], runs.run[places]
    distinct, rank = np.unique(way, return_inverse=True)
    offset = run.astype(np.int64) * (distinct.size + 1)
    best = np.maximum.accumulate(rank + offset) - offset
    same = np.append(False, run[1:] == run[:-1])
    is_record = np.append(True, best[1:] > best[:-1]) | ~same
    at = np.flatnonzero(is_record)
    if dials.rearm_s <= 0:
        here, last = zones[places[at]], np.append(run[at][1:] != run[at][:-1], True)
        moves = np.append(here[1:] != here[:-1], True)
        at = at[(here >= 0) | last | moves]
    place = places[at]
    columns = (
        way[at].tolist(),
        repeat(region),
        *(each.tolist() for each in (run[at], place, t_s[place], zones[place])),
    )
    yield from map(Step._make, zip(*columns, strict=False))


class Standing:
    """What raises in one region at the way that is asked for now."""

    def __init__(
        self, target_of_run: Indices, t_s: Floats, zones: NDArray[np.int32], rearm_s: float, tally: Tally
    ) -> None:
        self._target, self._t_s, self._zones, self._rearm_s, self._tally = target_of_run, t_s, zones, rearm_s, tally
        self._alone: dict[int, Step] = {}  # by run, where no raise keeps another from coming
        self._came: dict[int, dict[int, int]] = {}  # by target: of each run where it comes far enough
        self._raised: dict[int, set[int]] = {}

    def move(self, moved: Sequence[Step]) -> None:
        """These runs, each once, come far enough there now."""
        if self._rearm_s <= 0:
            for step in moved:
                self._move_one(step)
            return
        touched = set()
        for step in moved:
            target = int(self._target[step.run])
            self._came.setdefault(target, {})[step.run] = step.place
            touched.add(target)
        for target in touched:
            own = [Came(run, place) for run, place in sorted(self._came[target].items())]
            now = {each.place for each in raised(own, self._target, self._t_s, self._rearm_s)}
            before = self._raised.get(target, set())
            for place in before - now:
                self._tally.change(int(self._zones[place]), float(self._t_s[place]), -1)
            for place in now - before:
                self._tally.change(int(self._zones[place]), float(self._t_s[place]), 1)
            self._raised[target] = now

    def _move_one(self, step: Step) -> None:
        """No raise keeps another from coming."""
        before = self._alone.get(step.run)
        self._alone[step.run] = step
        if before is None:
            self._tally.change(step.zone, step.t, 1)
        elif before.zone == step.zone:
            self._tally.shift(step.zone, before.t, step.t)
        else:
            self._tally.change(before.zone, before.t, -1)
            self._tally.change(step.zone, step.t, 1)


def rows_along(
    regions: Sequence[tuple[Runs, Indices, Floats]],
    dials: RadarDials,
    tally: Tally,
    *,
    low: float,
    high: float,
    compared: int,
) -> list[Row]:
    """Rows that join up from `low` to `high` of the way that is asked for. `regions`: of each its runs, the target of each run, and
    the times of its places. A row ends where one of the first `compared` counts changes.
    """
    zones = [tally.zones_at(t_s) for *_, t_s in regions]
    standing = [
        Standing(target, t_s, zone, dials.rearm_s, tally) for (_, target, t_s), zone in zip(regions, zones, strict=True)
    ]
    steps = [
        step
        for place, (runs, _, t_s) in enumerate(regions)
        for step in steps_of(place, runs, dials, low, t_s, zones[place])
    ]
    steps.sort(key=itemgetter(0), reverse=True)
    begun = [each for each in steps if each.way >= high]
    _move(standing, begun)
    pieces: list[tuple[float, float, Counts]] = []
    top, counts = high, tally.counts()
    for way, some in groupby(steps[len(begun) :], key=itemgetter(0)):
        still_wanted()
        _move(standing, list(some))
        fresh = tally.counts()
        if fresh[:compared] != counts[:compared]:
            pieces.append((way, top, counts))
            top = way
        counts = fresh
    pieces.append((low, top, counts))
    return [Row(start, stop, value_inside(start, stop), each) for start, stop, each in reversed(pieces)]


def _move(standing: Sequence[Standing], steps: Sequence[Step]) -> None:
    """Of a run that moves several times at once, where less is asked for, the last counts: it is the earliest."""
    moved: dict[tuple[int, int], Step] = {}
    for step in steps:
        key = (step.region, step.run)
        if key not in moved or step.place < moved[key].place:
            moved[key] = step
    for region, each in enumerate(standing):
        each.move([step for (place, _), step in moved.items() if place == region])
