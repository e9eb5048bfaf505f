"""A thermal camera's shutter: now and then it looks at its own paddle, and every pixel steps at once.

Seen by three levels of the whole picture (a tenth, the middle, nine tenths of its pixels) that step the same way from one
frame to the next; what warms or passes moves one of them, not all. Readings are left out for `shutter_s` after the last
such step: they are neither a rise nor lost. Off (0) unless it is set.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from lantern.core.faults import Fault, Refused
from lantern.core.readings.heat.reductions import Reduction, Wanted
from lantern.core.readings.region import ReadingRegion
from lantern.core.rule import TIME_TOLERANCE_S
from lantern.core.signals import Floats, Series
from lantern.core.watching import Bools

SAMPLED = 400  # pixels, spread over the picture
LEVELS = (0.1, 0.5, 0.9)


@lru_cache(maxsize=16)  # live, it is asked for with every frame
def picture_levels(width: int, height: int) -> Wanted:
    """Return what to keep of each frame to see the shutter: three levels of a sample of its pixels."""
    count = min(SAMPLED, width * height)
    index = np.linspace(0, width * height - 1, count).astype(np.intp)
    picture = ReadingRegion(name="picture", shape="box", points=((0, 0), (width, height)))
    ranks = tuple(Reduction("coldest", k=max(1, round(level * count)), sampled=count) for level in LEVELS)
    return Wanted(picture, index, width, ranks)


def steps(levels_c: Floats, step_c: float) -> Bools:
    """(3, n) to (n,): at which frames did all levels step the same way, by at least `step_c` since the frame before?"""
    change = np.diff(levels_c, axis=1)
    stepped = (change.min(axis=0) >= step_c) | (change.max(axis=0) <= -step_c)
    return np.concatenate(([False], stepped))


def suppressed(t_s: Floats, stepped: Bools, shutter_s: float) -> Bools:
    """(n,): is the frame within `shutter_s` of the last step?"""
    last = np.maximum.accumulate(np.where(stepped, t_s, -np.inf))
    return t_s < last + shutter_s - TIME_TOLERANCE_S


def without(series: Series, left_out: NDArray[np.bool_]) -> Series:
    """The series without some samples, their time noted as taken out by the device and not as lost."""
    kept = np.flatnonzero(~left_out)
    if kept.size == 0:
        raise Refused([Fault(f"series {series.name}", "every sample is left out", "dials that leave some readings")])
    paused = np.zeros(kept.size)
    if kept.size > 1:
        intervals = np.diff(series.t_s)
        longest = np.maximum.reduceat(intervals, kept[:-1])
        paused[1:] = np.where(np.diff(kept) > 1, np.diff(series.t_s[kept]) - longest, 0.0)
    beside = {name: values[kept] for name, values in series.beside.items()}
    return Series(series.t_s[kept], series.x[kept], series.unit, series.name, paused, beside)


class Pause:
    """Live, the same a frame at a time: which frames are left out, and how much time the next one then has to forgive."""

    def __init__(self) -> None:
        self.last_t: float | None = None
        self.kept_t: float | None = None
        self.longest = 0.0

    def pass_over(self, t: float) -> None:
        self._tick(t)

    def keep(self, t: float) -> float:
        """Gives `paused_s` for the sample."""
        skipped = self.kept_t is not None and self.last_t != self.kept_t
        self._tick(t)
        paused = t - self.kept_t - self.longest if skipped and self.kept_t is not None else 0.0
        self.kept_t, self.longest = t, 0.0
        return paused

    def _tick(self, t: float) -> None:
        if self.last_t is not None:
            self.longest = max(self.longest, t - self.last_t)
        self.last_t = t


class ShutterWatch:
    """Live: sees the steps a frame at a time."""

    def __init__(self, step_c: float, shutter_s: float) -> None:
        self.step_c, self.shutter_s = step_c, shutter_s
        self.before: Floats | None = None
        self.last_step = -math.inf

    def shut(self, t: float, levels_c: Floats) -> bool:
        """(3,) levels of one frame: is it to be left out?"""
        if self.before is not None and steps(np.column_stack((self.before, levels_c)), self.step_c)[1]:
            self.last_step = t
        self.before = levels_c
        return t < self.last_step + self.shutter_s - TIME_TOLERANCE_S
