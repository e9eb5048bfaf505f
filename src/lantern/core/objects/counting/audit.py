"""Counts against hand counts, interval by interval and direction by direction.

Bias sum(C - T)/sum(T) lets errors cancel; WAPE sum|C - T|/sum(T) does not, and stands beside it (textbook). Double counts can
push C/T past 1, so the interval of the bias is a bootstrap over intervals and no binomial.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from typing import Any

import numpy as np

from lantern.core.counted import HandCount
from lantern.core.events import Event
from lantern.core.faults import FaultList
from lantern.core.objects.counting.alignment import MATCH_S, Passage, matched
from lantern.core.scoring.intervals import CONFIDENCE, exact_share, wilson
from lantern.core.signals import Floats

RESAMPLES = 2000
SEED = 20260304  # the same evidence gives the same interval


def bias(counted: Floats, truth: Floats) -> float | None:
    """Return how far the counts lie off on the average; None where nobody passed."""
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


def passages_for(share: float, error: float, *, z: float = 1.96, group: float = 1.0, alike: float = 0.0) -> int:
    """Return how many passages show a caught share to within `error`: n = z^2 p (1 - p) / E^2, more where people come
    in groups.

    Grouped arrivals inflate it by 1 + (m - 1) rho, `alike` being how alike those of one group are (textbook).
    """
    plain = math.ceil(z * z * share * (1 - share) / error**2 - 1e-9)
    return math.ceil(plain * (1 + (group - 1) * alike) - 1e-9)


def flawless_for(share: float) -> int:
    """Return how many passages without an error show a caught share, 95 %: ln 0.05 / ln p."""
    return math.ceil(math.log(1 - CONFIDENCE) / math.log(share) - 1e-9)


def audit(events: Sequence[Event], by_hand: Sequence[HandCount], tally: Sequence[Passage] = ()) -> dict[str, Any]:
    """Both directions: each interval's counts; over all of them bias with its interval, WAPE, and the share that was caught.

    Caught is the lesser of both counts of each interval, so that what was counted twice hides nothing; extra is the rest. With
    a `tally`, which has the time of each passage, it is how many find their like: one that fell just beyond the end of an
    interval is none the less caught.
    """
    ordered = _ordered(by_hand)
    out: dict[str, Any] = {"intervals": []}
    counted: dict[str, list[float]] = {"in": [], "out": []}
    times = {way: np.sort([e.raised_s for e in events if e.direction == way]) for way in ("in", "out")}
    for each in ordered:
        line: dict[str, Any] = {"start_s": each.start_s, "end_s": each.end_s}
        for direction, truth in (("in", each.into), ("out", each.out)):
            first, stop = np.searchsorted(times[direction], [each.start_s, each.end_s])
            counted[direction].append(float(stop - first))
            line |= {direction: int(stop - first), f"{direction}_by_hand": truth}
        out["intervals"].append(line)
    for direction in ("in", "out"):
        c = np.array(counted[direction])
        t = np.array([each.into if direction == "in" else each.out for each in ordered], dtype=np.float64)
        caught, extra = np.minimum(c, t).sum(), np.maximum(c - t, 0).sum()
        if tally:
            passed = np.sort(np.array([at for at, way in tally if way == direction], dtype=np.float64))
            caught = matched(times[direction], passed, MATCH_S)
            extra = times[direction].size - caught
        out[direction] = _direction(c, t, int(caught), int(extra))
    return out


def _ordered(by_hand: Sequence[HandCount]) -> list[HandCount]:
    faults = FaultList()
    ordered = sorted(by_hand, key=lambda c: c.start_s)
    for before, after in itertools.pairwise(ordered):
        if after.start_s < before.end_s:
            what = f"{after.start_s:g} s lies in the interval before"
            faults.add("hand counts", what, "intervals that do not overlap")
    faults.refuse_if_any()
    return ordered


def _direction(c: Floats, t: Floats, caught: int, extra: int) -> dict[str, Any]:
    found = bias_interval(c, t)
    true = int(t.sum())
    share, exact = wilson(caught, true), exact_share(caught, true)
    return {
        "counted": int(c.sum()),
        "by_hand": true,
        "bias": bias(c, t),
        "bias_low": found[0] if found else None,
        "bias_high": found[1] if found else None,
        "wape": wape(c, t),
        "caught": caught,
        "extra": extra,
        "caught_low": share[0] if share else None,
        "caught_high": share[1] if share else None,
        "caught_exact": list(exact) if exact else None,
    }


def observers_differ(one: Sequence[HandCount], other: Sequence[HandCount]) -> float | None:
    """Return how far two people's counts are apart: sum |a - b| over the mean of their totals; None where both saw
    nobody.
    """
    pairs = list(zip(one, other, strict=True))
    apart = sum(abs(a.into - b.into) + abs(a.out - b.out) for a, b in pairs)
    total = sum(a.into + a.out + b.into + b.out for a, b in pairs) / 2
    return apart / total if total else None
