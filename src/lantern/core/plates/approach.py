"""Which way does a vehicle go? By how its plate grows from read to read: a line through the heights, and how sure its slope is."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lantern.core.signals import Floats
from lantern.core.watching import Bools, Indices

LEAST_READS = 4
SURE = 2.0  # standard errors; within so many the way is unknown
UNKNOWN, TOWARDS, AWAY = 0, 1, -1
NAMES = {UNKNOWN: "unknown", TOWARDS: "towards", AWAY: "away"}
Ways = NDArray[np.int8]


class Approach:
    """Running sums over the reads of `passages` passages; times and heights from those of the first, for accuracy."""

    def __init__(self, passages: int) -> None:
        self.n = np.zeros(passages, dtype=np.intp)
        self.t0, self.h0 = np.zeros(passages), np.zeros(passages)
        self.t, self.h, self.tt, self.th, self.hh = (np.zeros(passages) for _ in range(5))

    def add(self, which: Indices, t_s: Floats, height_px: Floats) -> None:
        """One more read for each of k passages, no passage twice; NaN: a read without a box, which says nothing."""
        known: Bools = ~np.isnan(height_px)
        rows, t, h = which[known], t_s[known], height_px[known]
        new = self.n[rows] == 0
        self.t0[rows[new]], self.h0[rows[new]] = t[new], h[new]
        t, h = t - self.t0[rows], h - self.h0[rows]
        self.n[rows] += 1
        self.t[rows] += t
        self.h[rows] += h
        self.tt[rows] += t * t
        self.th[rows] += t * h
        self.hh[rows] += h * h

    def slopes(self, which: Indices) -> tuple[Floats, Floats]:
        """(k,) slopes in px/s, and (k,) their standard errors (least squares, textbook); NaN where there are too few reads."""
        n = np.maximum(self.n[which], 1)
        t_mean, h_mean = self.t[which] / n, self.h[which] / n
        stt = self.tt[which] - n * t_mean**2
        sth, shh = self.th[which] - n * t_mean * h_mean, self.hh[which] - n * h_mean**2
        enough = (self.n[which] >= LEAST_READS) & (stt > 1e-9)
        safe = np.where(enough, stt, 1.0)
        slope = sth / safe
        error = np.sqrt(np.maximum(shh - slope * sth, 0.0) / np.maximum(n - 2, 1) / safe)
        return np.where(enough, slope, np.nan), np.where(enough, error, np.nan)

    def ways(self, which: Indices) -> Ways:
        """(k,): TOWARDS where the plate grows beyond two standard errors, AWAY where it shrinks, else UNKNOWN."""
        slope, error = self.slopes(which)
        sure = np.abs(slope) > SURE * error + 1e-9
        return np.where(sure, np.sign(np.nan_to_num(slope)), UNKNOWN).astype(np.int8)
