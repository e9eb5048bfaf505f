"""From runs to raises: the first return of a run that has lasted and come far enough, unless the target raised too lately; and its clear."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from typing import NamedTuple

import numpy as np

from lantern.core.radar.dials import RadarDials
from lantern.core.radar.regions import EQUAL
from lantern.core.radar.runs import Kept, Runs
from lantern.core.rearm import rearmed
from lantern.core.rule import TIME_TOLERANCE_S, ClearedBy
from lantern.core.watching import Bools, Indices


class Came(NamedTuple):
    """A run that has come far enough: `run`, and where in `Runs` it did."""

    run: int
    place: int


def candidates(runs: Runs, dials: RadarDials) -> Bools:
    """(k,): the returns at which somebody may raise, if they have come far enough."""
    may = runs.fits & (runs.lasted_s >= dials.sustain_s - TIME_TOLERANCE_S)
    return may if runs.passes is None else may & runs.passes


def came(runs: Runs, dials: RadarDials) -> list[Came]:
    """Return of each run that comes far enough where it does first."""
    places = np.flatnonzero(candidates(runs, dials) & (runs.way_m >= dials.distance_m - EQUAL))
    which, first = np.unique(runs.run[places], return_index=True)
    return [Came(run, place) for run, place in zip(which.tolist(), places[first].tolist(), strict=True)]


def raised(all_came: Iterable[Came], target_of_run: Indices, t_s: np.ndarray, rearm_s: float) -> list[Came]:
    """Return those that raise. A run whose raise comes too soon after the target's last one does not raise later."""
    last: dict[int, float] = defaultdict(lambda: -np.inf)
    out = []
    for each in all_came:
        target, t = int(target_of_run[each.run]), float(t_s[each.place])
        if rearmed(t, last[target] if np.isfinite(last[target]) else None, rearm_s):
            last[target] = t
            out.append(each)
    return out


def cleared(length_s: float, kept: Kept, runs: Runs, run: int, gap_s: float) -> tuple[float | None, ClearedBy]:
    """Return when and by what a raise of a run is over; `length_s` of the take."""
    end = int(runs.at[runs.first[run + 1] - 1])
    if not kept.last[end]:
        return float(kept.t_s[end + 1]), "reading"
    t = float(kept.t_s[end])
    if length_s - t <= gap_s + TIME_TOLERANCE_S:  # it may come again: a later return of it would be in the take
        return None, "end"
    return t, "lost"
