"""The way that a target must come, exactly: from far to near, each run that comes far enough by then raises, and earlier and earlier."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import groupby
from operator import itemgetter

import numpy as np

from lantern.core.radar.deciding import Came, candidates, raised
from lantern.core.radar.dials import RadarDials
from lantern.core.radar.runs import Runs
from lantern.core.scoring.tally import Counts, Tally
from lantern.core.signals import Floats
from lantern.core.tuning.rows import Row, value_inside
from lantern.core.tuning.wanted import still_wanted
from lantern.core.watching import Indices

Step = tuple[float, int, int]  # from this way down, that run comes far enough at that place


def steps_of(runs: Runs, dials: RadarDials, low: float, zone: np.ndarray) -> Iterator[Step]:
    """Yield where a run's raise moves as less and less is asked for: at each candidate that came farther than all before it.

    `zone` (k,) of each place. Where no raise keeps another from coming, one that moves within a zone in which nothing is expected changes
    no count, and is left out.
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
        here, last = zone[places[at]], np.append(run[at][1:] != run[at][:-1], True)
        moves = np.append(here[1:] != here[:-1], True)
        at = at[(here >= 0) | last | moves]
    yield from zip(way[at].tolist(), run[at].tolist(), places[at].tolist(), strict=True)


class Standing:
    """What raises in one region at the way that is asked for now."""

    def __init__(self, runs: Runs, target_of_run: Indices, t_s: Floats, rearm_s: float, tally: Tally) -> None:
        self._target, self._t_s, self._rearm_s, self._tally = target_of_run, t_s, rearm_s, tally
        self.zone = tally.zones(t_s)
        self._came: dict[int, dict[int, int]] = {}  # by target: of each run where it comes far enough
        self._raised: dict[int, set[int]] = {}

    def move(self, moved: Sequence[tuple[int, int]]) -> None:
        """These runs, (run, place) each, come far enough there now."""
        touched = set()
        for run, place in moved:
            target = int(self._target[run])
            self._came.setdefault(target, {})[run] = place
            touched.add(target)
        for target in touched:
            own = [Came(run, place) for run, place in sorted(self._came[target].items())]
            now = {each.place for each in raised(own, self._target, self._t_s, self._rearm_s)}
            before = self._raised.get(target, set())
            for place in before - now:
                self._tally.change(self.zone[place], float(self._t_s[place]), -1)
            for place in now - before:
                self._tally.change(self.zone[place], float(self._t_s[place]), 1)
            self._raised[target] = now


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
    standing = [Standing(*each, dials.rearm_s, tally) for each in regions]
    steps = [
        (way, place, step)
        for place, (runs, _, _) in enumerate(regions)
        for way, *step in steps_of(runs, dials, low, np.array(standing[place].zone))
    ]
    steps.sort(key=itemgetter(0), reverse=True)
    begun = [each for each in steps if each[0] >= high]
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


def _move(standing: Sequence[Standing], steps: Sequence[tuple[float, int, list[int]]]) -> None:
    """Of a run that moves several times at once, where less is asked for, the last counts: it is the earliest."""
    for place, each in enumerate(standing):
        moved: dict[int, int] = {}
        for _, at, (run, to) in steps:
            if at == place:
                moved[run] = min(to, moved.get(run, to))
        if moved:
            each.move(list(moved.items()))
