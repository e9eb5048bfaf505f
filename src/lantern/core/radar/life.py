"""A target's life: return by return what it was, and how far that went towards a raise."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lantern.core.radar.deciding import came
from lantern.core.radar.dials import RadarDials
from lantern.core.radar.regions import RadarRegion, inside
from lantern.core.radar.returns import Returns
from lantern.core.radar.runs import Kept, Runs
from lantern.core.signals import Floats
from lantern.core.watching import Indices

STATES = ("left out", "outside", "another way", "forgiven", "on its way", "far enough")  # in words, by number


@dataclass(frozen=True)
class Life:
    """n returns of one target: `row` (n,) in the take; `state` (n,) numbers into `STATES`; `way_m` (n,) how far it had come in its run, nan
    outside of one.
    """

    row: Indices
    state: Indices
    way_m: Floats


def life_of(
    returns: Returns, kept: Kept, runs: Runs, dials: RadarDials, region: RadarRegion | None, target: int
) -> Life:
    """`runs`: those through the region. From where a run has come far enough on, all of it is."""
    rows = np.flatnonzero(returns.target == target)
    x, y = returns.places
    there = inside(region, returns.range_m[rows], returns.azimuth_deg[rows], lambda: (x[rows], y[rows]))
    state = np.where(there, STATES.index("another way"), STATES.index("outside"))
    place = np.full(len(returns), -1)
    place[kept.row] = np.arange(kept.row.size)
    at = place[rows]
    state[at < 0] = STATES.index("left out")
    way = np.full(rows.size, np.nan)
    in_run = np.searchsorted(runs.at, at)
    on = (at >= 0) & (in_run < runs.at.size)
    on[on] = runs.at[in_run[on]] == at[on]
    where = in_run[on]
    state[on] = np.where(runs.fits[where], STATES.index("on its way"), STATES.index("forgiven"))
    way[on] = np.where(np.isfinite(runs.way_m[where]), runs.way_m[where], 0.0)
    far = {each.run: each.place for each in came(runs, dials)}
    enough = np.array([far.get(int(runs.run[each]), each + 1) <= each for each in where], dtype=np.bool_)
    state[np.flatnonzero(on)[enough]] = STATES.index("far enough")
    return Life(rows, state, way)
