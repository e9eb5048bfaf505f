"""How targets moved over the ground: places and velocities, smoothed, of a radar that stood where it stood."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lantern.core.radar.frame import Frame
from lantern.core.radar.returns import Returns
from lantern.core.rule import TIME_TOLERANCE_S
from lantern.core.signals import Floats
from lantern.core.watching import Bools, Indices

SMOOTH_S = 1.5  # to either side; a walker goes 4 m meanwhile, about straight; common practice, no source
PAUSE_S = 1.0  # what comes after a longer one is smoothed by itself
FEWEST = 5  # returns that a line is fitted through


@dataclass(frozen=True)
class Motion:
    """Returns of targets on the plan, target by target: `row` (n,) of each in the take, `t_s` (n,); `x_m`, `y_m` (n,) smoothed places;
    `east_mps`, `north_mps` (n,) velocities; `known` (n,): enough returns near it to say so. Where they were too few the place is the
    measured one, and the velocity is that towards the radar alone.
    """

    row: Indices
    t_s: Floats
    x_m: Floats
    y_m: Floats
    east_mps: Floats
    north_mps: Floats
    known: Bools


def motion_of(returns: Returns, frame: Frame) -> Motion:
    """Return the motion of all targets. Along the beam a velocity is the measured one, which is far surer than what places say; across
    it that of a straight line through the places of `SMOOTH_S` to either side.
    """
    return returns.remember(("motion", frame), lambda: _motion(returns, frame))


def _motion(returns: Returns, frame: Frame) -> Motion:
    row = returns.by_target
    t_s, target = returns.t_s[row], returns.target[row]
    x, y = (axis[row] for axis in frame.onto_plan(*returns.places))
    lo, hi, origin = _windows(t_s, target)
    count = hi - lo
    x_fit, east = _lines(t_s - origin, x, lo, hi)
    y_fit, north = _lines(t_s - origin, y, lo, hi)
    known = (count >= FEWEST) & np.isfinite(east) & np.isfinite(north)
    x_fit, y_fit = np.where(known, x_fit, x), np.where(known, y_fit, y)
    away = np.hypot(x_fit - frame.x_m, y_fit - frame.y_m)
    out_x = np.divide(x_fit - frame.x_m, away, out=np.zeros_like(away), where=away > 0)
    out_y = np.divide(y_fit - frame.y_m, away, out=np.zeros_like(away), where=away > 0)
    across = np.where(known, out_x * north - out_y * east, 0.0)  # to the left of the beam
    along = returns.speed_mps[row]
    return Motion(row, t_s, x_fit, y_fit, along * out_x - across * out_y, along * out_y + across * out_x, known)


def _windows(t_s: Floats, target: Indices) -> tuple[Indices, Indices, Floats]:
    """(n,) each: the first and the one past the last return that each is smoothed by; and the time from which those times count."""
    parts = np.append(True, (target[1:] != target[:-1]) | (np.diff(t_s) > PAUSE_S))
    part = np.cumsum(parts) - 1
    far = float(t_s.max(initial=0.0)) + 4 * SMOOTH_S
    key = part * far + t_s  # no window reaches from one part into another
    lo = np.searchsorted(key, key - SMOOTH_S - TIME_TOLERANCE_S)
    hi = np.searchsorted(key, key + SMOOTH_S + TIME_TOLERANCE_S)
    return lo, hi, t_s[np.flatnonzero(parts)][part]


def _lines(t_s: Floats, values: Floats, lo: Indices, hi: Indices) -> tuple[Floats, Floats]:
    """(n,) each: value and slope, at each time, of the straight line through the values of its window."""

    def summed(what: Floats) -> Floats:
        total = np.append(np.longdouble(0), np.cumsum(what, dtype=np.longdouble))  # small differences of large sums
        return (total[hi] - total[lo]).astype(np.float64)

    n, st, sv = hi - lo, summed(t_s), summed(values)
    spread = summed(t_s * t_s) - st * st / n
    common = summed(t_s * values) - st * sv / n
    with np.errstate(divide="ignore", invalid="ignore"):
        slope = common / spread
        at = sv / n + slope * (t_s - st / n)
    return at, slope
