"""Scores of pairs: of one person (mated) and of two (non-mated), as they stand; error rates at a threshold, and thresholds for a wish.

A score at or above the threshold matches; scores compare exactly. Terms: ISO/IEC 2382-37 and ISO/IEC 19795-1, from memory.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np

from lantern.core.faces.looks import MATED, NON_MATED, Looks
from lantern.core.faults import Fault, Refused
from lantern.core.scoring.intervals import CONFIDENCE, wilson
from lantern.core.signals import Floats
from lantern.core.watching import Bools

SUBJECT = "subject"  # the column that says whose face a look shows
ENOUGH_SUBJECTS = 30  # fewer say little of another crowd: ISO/IEC 19795-1, from memory


class Share(NamedTuple):
    """So many of so many, with the interval in which the true share lies, 95 %."""

    errors: int
    of: int
    share: float
    low: float
    high: float


def share_of(errors: int, of: int) -> Share | None:
    """Return a share with its Wilson interval; with 0 errors the upper end is the exact one-sided 1 - 0.05^(1/n). None of none."""
    interval = wilson(errors, of)
    if interval is None:
        return None
    low, high = interval
    return Share(errors, of, errors / of, low, none_seen(of) if errors == 0 else high)


def none_seen(of: int) -> float:
    """Return the upper bound, 95 % one-sided, of a share of which nothing was seen in so many; the rule of 3 comes near it."""
    return 1 - float((1 - CONFIDENCE) ** (1 / of))


class Summary(NamedTuple):
    """The equal error rate, and the threshold at which it is read."""

    eer: float
    threshold: float


@dataclass(frozen=True)
class Scores:
    """`mated` (m,), `non_mated` (n,): rising. `subjects`: how many people's faces stand behind them."""

    mated: Floats
    non_mated: Floats
    subjects: int

    def false_matches(self, threshold: float) -> int:
        return int(self.non_mated.size - np.searchsorted(self.non_mated, threshold))

    def false_non_matches(self, threshold: float) -> int:
        return int(np.searchsorted(self.mated, threshold))

    def fmr(self, threshold: float) -> Share | None:
        """Return the false match rate, of comparisons."""
        return share_of(self.false_matches(threshold), int(self.non_mated.size))

    def fnmr(self, threshold: float) -> Share | None:
        """Return the false non-match rate, of comparisons."""
        return share_of(self.false_non_matches(threshold), int(self.mated.size))

    @cached_property
    def breaks(self) -> Floats:
        """(k,): all distinct scores, rising: between two of them nothing changes."""
        return np.unique(np.concatenate([self.mated, self.non_mated]))

    @cached_property
    def curve(self) -> tuple[Floats, Floats]:
        """(k,) FMR and (k,) FNMR with each of `breaks` as the threshold: the whole DET, exactly."""
        above = self.non_mated.size - np.searchsorted(self.non_mated, self.breaks)
        below = np.searchsorted(self.mated, self.breaks)
        return above / max(self.non_mated.size, 1), below / max(self.mated.size, 1)

    @cached_property
    def summary(self) -> Summary | None:
        """Return the equal error rate: at the score where both rates lie nearest to each other (of equals the greatest), the mean
        of both. None where one of them is not known. A summary; nobody should work there.
        """
        if not self.mated.size or not self.non_mated.size:
            return None
        fmr, fnmr = self.curve
        apart = np.abs(fmr - fnmr)
        at = int(np.flatnonzero(apart == apart.min())[-1])
        return Summary(float(fmr[at] + fnmr[at]) / 2, float(self.breaks[at]))

    @cached_property
    def d_prime(self) -> float | None:
        """Return how far the two lie apart, in standard deviations: (m1 - m0) / sqrt((v1 + v0) / 2). None where it is not defined."""
        if self.mated.size < 2 or self.non_mated.size < 2:
            return None
        spread = math.sqrt((float(self.mated.var(ddof=1)) + float(self.non_mated.var(ddof=1))) / 2)
        return float(self.mated.mean() - self.non_mated.mean()) / spread if spread else None

    def threshold_for(self, target_fmr: float) -> float:
        """Return the least number above all but floor(target * n) of the non-mated scores. Raises `Refused` without any."""
        n = int(self.non_mated.size)
        if n == 0:
            raise Refused([Fault("take", "it has no non-mated score", "a take with pairs of two people (mated 0)")])
        allowed = math.floor(target_fmr * n)
        if allowed >= n:
            return float(self.non_mated[0])
        return math.nextafter(float(self.non_mated[n - 1 - allowed]), math.inf)

    def extrapolates(self, target_fmr: float) -> bool:
        """Return whether so many comparisons cannot show such a rate: rule of 3."""
        return target_fmr < 3 / max(int(self.non_mated.size), 1)


def scores_of(looks: Looks, counted: Bools | None = None) -> Scores:
    """Return the scores of a take. `counted` (m,): which of its rows count; None: all."""
    if counted is None:
        return looks.remember("scores", lambda: _scores(looks, looks.mated >= 0))
    return _scores(looks, (looks.mated >= 0) & counted)


def _scores(looks: Looks, known: Bools) -> Scores:
    mated = np.sort(looks.score[known & (looks.mated == MATED)])
    non_mated = np.sort(looks.score[known & (looks.mated == NON_MATED)])
    column = looks.groups.get(SUBJECT, looks.candidate)
    return Scores(mated, non_mated, int(np.unique(column.code[known]).size))
