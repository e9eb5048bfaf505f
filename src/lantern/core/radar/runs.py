"""Runs of targets through a region: consecutive returns that go the right way, with the way that each has come so far.

All at once, over whole takes; `approach.py` does the same return by return. One region's runs do not depend on how far and for how long
somebody must come: those dials are dragged without asking again who went where.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from lantern.core.radar.dials import RadarDials
from lantern.core.radar.regions import EQUAL, WAY_DECIMALS, RadarRegion, inside
from lantern.core.radar.returns import Returns
from lantern.core.rule import TIME_TOLERANCE_S
from lantern.core.signals import Floats
from lantern.core.watching import Bools, Indices


@dataclass(frozen=True)
class Kept:
    """The returns of a size that counts, target by target, each in order of time: `row` (n,) where they stand in the take; `begins`
    (n,): is it the first of its target, or of what comes after a pause?
    """

    row: Indices
    t_s: Floats
    begins: Bools

    @cached_property
    def last(self) -> Bools:
        """(n,): is it the last before a pause, or of its target?"""
        return np.append(self.begins[1:], True)


@dataclass(frozen=True)
class Runs:
    """Returns that are in a run, one run after the other, in the order of `Kept`.

    `at` (k,) where each stands in `Kept`; `run` (k,) its run, from 0; `fits` (k,): does it go that way?; `lasted_s` (k,) since the run
    began; `way_m` (k,) what it has come so far, minus infinity where it does not count there; `passes` (k,): where a raise may come, by
    what stands beside the radar (None: anywhere).
    """

    at: Indices
    run: Indices
    fits: Bools
    lasted_s: Floats
    way_m: Floats
    passes: Bools | None = None

    @cached_property
    def first(self) -> Indices:
        """(runs + 1,): run i is `first[i]` up to `first[i + 1]`."""
        count = int(self.run[-1]) + 1 if self.run.size else 0
        return np.searchsorted(self.run, np.arange(count + 1))

    def __len__(self) -> int:
        return self.first.size - 1


def kept_of(returns: Returns, dials: RadarDials) -> Kept:
    key = ("kept", dials.min_rcs_dbsm, dials.max_rcs_dbsm, dials.gap_s)
    return returns.remember(key, lambda: _kept(returns, dials))


def _kept(returns: Returns, dials: RadarDials) -> Kept:
    row = returns.by_target
    if dials.min_rcs_dbsm is not None:
        row = row[returns.rcs_dbsm[row] >= dials.min_rcs_dbsm - EQUAL]
    if dials.max_rcs_dbsm is not None:
        row = row[returns.rcs_dbsm[row] <= dials.max_rcs_dbsm + EQUAL]
    begins = np.ones(row.size, dtype=np.bool_)
    target = returns.target[row]
    begins[1:] = target[1:] != target[:-1]
    del target  # a day of them fits
    t_s = returns.t_s[row]
    begins[1:] |= np.diff(t_s) > dials.gap_s + TIME_TOLERANCE_S
    return Kept(row, t_s, begins)


def fits(speed_mps: Floats, dials: RadarDials) -> Bools:
    """(n,): does each go the way of the profile?"""
    if dials.profile == "inbound":
        return speed_mps <= -dials.min_speed_mps + EQUAL
    if dials.profile == "outbound":
        return speed_mps >= dials.min_speed_mps - EQUAL
    return np.ones(speed_mps.size, dtype=np.bool_)


def runs_of(returns: Returns, region: RadarRegion | None, dials: RadarDials) -> Runs:
    """Return the runs through a region."""
    speed = dials.min_speed_mps if dials.profile in ("inbound", "outbound") else None
    where = None if region is None else (region.shape, region.points)
    key = ("runs", where, dials.profile, speed, dials.bridge_s, dials.gap_s, dials.min_rcs_dbsm, dials.max_rcs_dbsm)
    return returns.remember(key, lambda: _runs(returns, region, dials))


def _runs(returns: Returns, region: RadarRegion | None, dials: RadarDials) -> Runs:
    kept = kept_of(returns, dials)
    row, t_s = kept.row, kept.t_s
    where = None if region is None else (region.shape, region.points)
    there = returns.remember(("inside", where), lambda: _inside(returns, region))[row]
    fit = there & fits(returns.speed_mps[row], dials)
    index = np.arange(row.size, dtype=np.int32)
    last_fit = np.maximum.accumulate(np.where(fit, index, np.int32(-1)))
    # a return goes on a run if the last one that fitted lies in the same stretch of returns from within, and not too long ago
    stretch = np.maximum.accumulate(np.where(kept.begins | ~there, index, np.int32(0)))
    bridged = there & ~fit & (last_fit >= stretch)
    del stretch
    bridged[bridged] = t_s[bridged] - t_s[last_fit[bridged]] < dials.bridge_s - TIME_TOLERANCE_S
    del last_fit, index
    on = fit | bridged
    starts = on & np.append(True, ~on[:-1])
    starts |= on & kept.begins
    at: Indices = np.flatnonzero(on).astype(np.int32)  # a day of them fits, in half the memory
    run = np.cumsum(starts[at], dtype=np.int32) - np.int32(1)
    opening = at[np.flatnonzero(starts[at])][run] if at.size else at
    lasted = t_s[at] - t_s[opening]
    way = _ways(returns, row[at], row[opening], run, dials).round(WAY_DECIMALS)
    return Runs(at, run, fit[at], lasted, way)


def _inside(returns: Returns, region: RadarRegion | None) -> Bools:
    return inside(region, returns.range_m, returns.azimuth_deg, lambda: returns.places)


def _ways(returns: Returns, row: Indices, opening: Indices, run: Indices, dials: RadarDials) -> Floats:
    """(k,): how far each has come in its run, m."""
    away = returns.range_m[row]
    if dials.profile == "inbound":
        return _greatest_so_far(away, run) - away
    if dials.profile == "outbound":
        return away + _greatest_so_far(-away, run)
    x, y = returns.places
    way = np.hypot(x[row] - x[opening], y[row] - y[opening])
    if dials.profile == "across":
        way = np.where(np.abs(away - returns.range_m[opening]) <= way / 2 + EQUAL, way, -np.inf)
    return way


def _greatest_so_far(values: Floats, run: Indices) -> Floats:
    """(k,): the greatest of each run up to here. By ranks, which are whole numbers: not a digit of a value is lost."""
    if not values.size:
        return values
    distinct, rank = np.unique(values, return_inverse=True)
    offset = run.astype(np.int64) * distinct.size
    return distinct[np.maximum.accumulate(rank + offset) - offset]
