"""Counts against hand counts, interval by interval and direction by direction.

Bias sum(C - T)/sum(T) lets errors cancel; WAPE sum|C - T|/sum(T) does not, and stands beside it (textbook). Double counts can
push C/T past 1, so the interval of the bias is a bootstrap over intervals and no binomial.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from lantern.core.events import Event
from lantern.core.faults import FaultList
from lantern.core.signals import Floats
from lantern.core.tuning.intervals import CONFIDENCE

RESAMPLES = 2000
SEED = 20260304  # the same evidence gives the same interval


@dataclass(frozen=True, slots=True)
class HandCount:
    """What was counted by hand in [start_s, end_s)."""

    start_s: float
    end_s: float
    into: int
    out: int


def bias(counted: Floats, truth: Floats) -> float | None:
    """None where nobody passed."""
    return float((counted.sum() - truth.sum()) / truth.sum()) if truth.sum() else None


def wape(counted: Floats, truth: Floats) -> float | None:
    return float(np.abs(counted - truth).sum() / truth.sum()) if truth.sum() else None


def bias_interval(counted: Floats, truth: Floats) -> tuple[float, float] | None:
    """Percentile bootstrap over intervals, 95 %; None with fewer than two intervals, or where nobody passed."""
    if counted.size < 2 or not truth.sum():
        return None
    rng = np.random.default_rng(SEED)
    picks = rng.integers(0, counted.size, (RESAMPLES, counted.size))
    sums = truth[picks].sum(axis=1)
    known = sums > 0
    found = (counted[picks].sum(axis=1)[known] - sums[known]) / sums[known]
    tail = (1 - CONFIDENCE) / 2
    low, high = np.quantile(found, [tail, 1 - tail])
    return float(low), float(high)


def audit(events: Sequence[Event], by_hand: Sequence[HandCount]) -> dict[str, Any]:
    """Both directions: each interval's counts, and over all of them bias with its interval and WAPE."""
    faults = FaultList()
    ordered = sorted(by_hand, key=lambda c: c.start_s)
    for before, after in itertools.pairwise(ordered):
        if after.start_s < before.end_s:
            faults.add(
                "hand counts", f"{after.start_s:g} s lies in the interval before", "intervals that do not overlap"
            )
    faults.refuse_if_any()
    out: dict[str, Any] = {"intervals": []}
    counted: dict[str, list[float]] = {"in": [], "out": []}
    for each in ordered:
        line: dict[str, Any] = {"start_s": each.start_s, "end_s": each.end_s}
        for direction, truth in (("in", each.into), ("out", each.out)):
            n = sum(e.direction == direction and each.start_s <= e.raised_s < each.end_s for e in events)
            counted[direction].append(n)
            line |= {direction: n, f"{direction}_by_hand": truth}
        out["intervals"].append(line)
    for direction in ("in", "out"):
        c = np.array(counted[direction])
        t = np.array([each.into if direction == "in" else each.out for each in ordered], dtype=np.float64)
        found = bias_interval(c, t)
        out[direction] = {
            "counted": int(c.sum()),
            "by_hand": int(t.sum()),
            "bias": bias(c, t),
            "bias_low": found[0] if found else None,
            "bias_high": found[1] if found else None,
            "wape": wape(c, t),
        }
    return out
