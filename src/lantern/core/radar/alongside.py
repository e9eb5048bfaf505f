"""The same things seen by a radar and by a camera, both on the plan: which of them is which, and what only one of the two saw."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from scipy.optimize import linear_sum_assignment

from lantern.core.signals import Floats

STEP_S = 0.5
LEAST_S = 2.0  # that two must be near each other, to be one
FORBIDDEN = 1e9


class Sighting(NamedTuple):
    """Something that was followed: `t_s` (n,) rising, by one clock for all; `x_m`, `y_m` (n,) on the plan."""

    name: str
    t_s: Floats
    x_m: Floats
    y_m: Floats


class Both(NamedTuple):
    """One thing by its two names, from when until when both saw it near each other, and how far apart in the mean."""

    radar: str
    camera: str
    from_s: float
    until_s: float
    apart_m: float


class Alongside(NamedTuple):
    """What both saw, and those names that only one of them has."""

    both: tuple[Both, ...]
    radar_alone: tuple[str, ...]
    camera_alone: tuple[str, ...]


def alongside(radar: Sequence[Sighting], camera: Sequence[Sighting], *, gate_m: float, within_s: float) -> Alongside:
    """Return which is which: one to one, most of all and then as near as possible in all. Two are one if for `LEAST_S` at least they are
    within `gate_m` of each other, clocks being `within_s` apart at most.
    """
    cost = np.full((len(radar), len(camera)), FORBIDDEN)
    near: dict[tuple[int, int], Both] = {}
    for a, one in enumerate(radar):
        for b, other in enumerate(camera):
            found = _near(one, other, gate_m, within_s)
            if found is not None:
                near[a, b], cost[a, b] = found, found.apart_m
    rows, columns = linear_sum_assignment(cost) if cost.size else (np.zeros(0, int), np.zeros(0, int))
    pairs = [(a, b) for a, b in zip(rows.tolist(), columns.tolist(), strict=True) if (a, b) in near]
    paired_a, paired_b = {a for a, _ in pairs}, {b for _, b in pairs}
    return Alongside(
        tuple(sorted((near[pair] for pair in pairs), key=lambda each: each.from_s)),
        tuple(one.name for a, one in enumerate(radar) if a not in paired_a),
        tuple(other.name for b, other in enumerate(camera) if b not in paired_b),
    )


def _near(one: Sighting, other: Sighting, gate_m: float, within_s: float) -> Both | None:
    start, stop = max(one.t_s[0], other.t_s[0] - within_s), min(one.t_s[-1], other.t_s[-1] + within_s)
    if stop - start < LEAST_S:
        return None
    t_s = np.arange(start, stop + 1e-9, STEP_S)
    x, y = np.interp(t_s, one.t_s, one.x_m), np.interp(t_s, one.t_s, one.y_m)
    best: Both | None = None
    for shift in np.arange(-within_s, within_s + 1e-9, max(STEP_S, within_s / 4)) if within_s > 0 else (0.0,):
        there = (t_s + shift >= other.t_s[0]) & (t_s + shift <= other.t_s[-1])
        apart = np.hypot(
            np.interp(t_s + shift, other.t_s, other.x_m) - x, np.interp(t_s + shift, other.t_s, other.y_m) - y
        )
        close = there & (apart <= gate_m)
        if close.sum() * STEP_S < LEAST_S or close.sum() < 0.5 * there.sum():
            continue
        mean = float(apart[close].mean())
        if best is None or mean < best.apart_m:
            best = Both(one.name, other.name, float(t_s[close][0]), float(t_s[close][-1]), mean)
    return best
