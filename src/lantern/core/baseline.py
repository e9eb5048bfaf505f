"""What is normal here, learnt from the reading itself: robust, slow, and deaf while an alarm stands.

A value a sixtieth of the learning time is kept, 60 at most, so that neighbouring samples, which resemble each other, do
not pass for many. The band's edge is median + k * 1.4826 * MAD (1.4826 makes the median absolute deviation of a normal
distribution its standard deviation; textbook), never narrower than the sensor resolves.
"""

from __future__ import annotations

import math
from bisect import bisect_left, insort
from collections import deque
from collections.abc import Iterable

from lantern.core.rule import Rule

KEPT = 60
LEAST_LEARNT = 10  # fewer say nothing yet; common practice, no source
RESOLUTION = 0.05  # least robust spread in the reading's unit; common practice, no source
NORMAL_FROM_MAD = 1.4826


def median_of_sorted(values: list[float]) -> float:
    middle = len(values) // 2
    return values[middle] if len(values) % 2 else (values[middle - 1] + values[middle]) / 2


def median_and_mad(values: Iterable[float]) -> tuple[float, float]:
    """Median, and median of the absolute distances from it."""
    ordered = sorted(values)
    centre = median_of_sorted(ordered)
    return centre, median_of_sorted(sorted(abs(v - centre) for v in ordered))


class Baseline:
    """Learns as samples come; gives the edge that the reading must pass. Values are turned so that more is worse."""

    def __init__(self, rule: Rule, learnt: Iterable[float] = (), learn_at: float = -math.inf) -> None:
        self.rule = rule
        self.learnt = deque(learnt, maxlen=KEPT)
        self.ordered = sorted(self.learnt)
        self.learn_at = learn_at
        self.edge = math.inf
        self._settle()

    def learn(self, t: float, towards: float) -> None:
        """Take a sample of a clear decision; most pass unlearnt, until the next sixtieth of the time is over."""
        if t < self.learn_at:
            return
        if len(self.learnt) == KEPT:
            del self.ordered[bisect_left(self.ordered, self.learnt[0])]
        self.learnt.append(towards)
        insort(self.ordered, towards)
        self.learn_at = t + self.rule.baseline_s / KEPT
        self._settle()

    def _settle(self) -> None:
        if len(self.learnt) < LEAST_LEARNT:
            return
        centre = median_of_sorted(self.ordered)
        spread = NORMAL_FROM_MAD * median_of_sorted(sorted(abs(v - centre) for v in self.ordered))
        self.edge = centre + self.rule.spread_k * max(spread, RESOLUTION)
