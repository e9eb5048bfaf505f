"""The number that a decision compares with its level, turned so that more is worse: over whole arrays, and a sample at a time.

above: x; below: -x; rise and fall: the change within the window, by one of three ways. A *stretch* is a run of samples
without a lost frame or a pause of the device; no window and no timer reaches beyond it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from lantern.core.baseline import KEPT, LEAST_LEARNT
from lantern.core.rule import TIME_TOLERANCE_S, Rule
from lantern.core.signals import Floats, Series

Bools = NDArray[np.bool_]
Indices = NDArray[np.intp]
Samples = tuple[tuple[float, float], ...]  # (t, x turned so that more is worse)

SLOPE_DECIMALS = 8  # both faces round alike, so that sums taken in another order do not tip a comparison


def gaps(series: Series, gap_s: float) -> Bools:
    """(n - 1,): does a pause longer than `gap_s` follow the sample? Time that the device itself took out does not count."""
    return np.diff(series.t_s) - series.paused_s[1:] > gap_s + TIME_TOLERANCE_S


def stretch_starts(series: Series, gap_s: float, *, pauses: bool = True) -> Indices:
    """Return for each sample the index of the first sample of its stretch. Without `pauses` only lost frames
    end one.
    """
    ends = gaps(series, gap_s)
    if pauses:
        ends |= series.paused_s[1:] > 0
    starts = np.zeros(len(series), dtype=np.intp)
    after = np.flatnonzero(ends) + 1
    starts[after] = after
    return np.maximum.accumulate(starts)


def unknown_spans(series: Series, rule: Rule) -> list[tuple[float, float, str]]:
    """(from, to, why) where the decision cannot know: frames lost, the shutter closed, the baseline not learnt yet."""
    t_s = series.t_s
    lost = gaps(series, rule.gap_s)
    out = [(float(t_s[i]), float(t_s[i + 1]), "frames lost") for i in np.flatnonzero(lost)]
    shut = ~lost & (series.paused_s[1:] > 0)
    out += [(float(t_s[i]), float(t_s[i + 1]), "shutter") for i in np.flatnonzero(shut)]
    if rule.learns:
        known = float(t_s[0]) + (LEAST_LEARNT - 1) * rule.baseline_s / KEPT
        out.append((float(t_s[0]), min(known, float(t_s[-1])), "learning"))
    return sorted(out)


def watched(series: Series, rule: Rule) -> Floats:
    """(n,), for rules that do not learn. -inf where a window that must be full is not."""
    if rule.sense == "above":
        return series.x
    if rule.sense == "below":
        return -series.x
    towards = series.x if rule.sense == "rise" else -series.x
    starts = stretch_starts(series, rule.gap_s)
    t_s = series.t_s
    if rule.rise_by == "points":
        before = np.searchsorted(t_s, t_s - rule.window_s + TIME_TOLERANCE_S, side="right") - 1
        full = before >= starts
        return np.where(full, towards - towards[np.maximum(before, starts)], -np.inf)
    first = np.maximum(np.searchsorted(t_s, t_s - rule.window_s - TIME_TOLERANCE_S, side="left"), starts)
    if rule.rise_by == "slope":
        full = (t_s[starts] <= t_s - rule.window_s + TIME_TOLERANCE_S) & (first < np.arange(t_s.size))
        return np.where(full, _slopes(t_s, towards, first) * rule.window_s, -np.inf).round(SLOPE_DECIMALS)
    return towards - sliding_least(towards, first)


def sliding_least(x: Floats, first: Indices) -> Floats:
    """min(x[first[i] .. i]) for every i, `first` non-decreasing: by a table of power-of-two spans, no loop over samples."""
    n = x.size
    spans = np.arange(n) - first + 1
    out = np.empty(n)
    table, width = x, 1
    while True:
        here = np.flatnonzero((spans >= width) & (spans < 2 * width))
        # table[k] is the least of x[k .. k + width - 1]; two of them cover a span of up to twice the width
        out[here] = np.minimum(table[first[here]], table[here - width + 1])
        if 2 * width > int(spans.max()):
            return out
        table = np.minimum(table[: table.size - width], table[width:])
        width *= 2


def _slopes(t_s: Floats, x: Floats, first: Indices) -> Floats:
    """Least-squares slope of x over samples first[i] .. i, for every i, from running sums (0 where there is one sample).

    Extended precision: the sums of a day's squared seconds would else swallow the last digits of a minute's.
    """
    t, centred = t_s.astype(np.longdouble), (x - x.mean()).astype(np.longdouble)
    after = np.arange(t.size) + 1

    def window(values: NDArray[np.longdouble]) -> NDArray[np.longdouble]:
        sums = np.concatenate(([np.longdouble(0)], np.cumsum(values)))
        return np.asarray(sums[after] - sums[first])

    n = (after - first).astype(np.longdouble)
    st, sx = window(t), window(centred)
    stx, stt = window(t * centred), window(t * t)
    sx_t = stx - t * sx  # with time counted from the present sample
    s_t = st - n * t
    s_tt = stt - 2 * t * st + n * t * t
    spread = n * s_tt - s_t * s_t
    alone = n < 2
    slope = (n * sx_t - s_t * sx) / np.where(alone, 1, spread)
    return np.where(alone, 0, slope).astype(np.float64)


def compare(watching: Floats, level: float, *, closed: bool) -> Bools:
    """Return where the condition holds: more than the level (above, below), or at least the level (rise, fall)."""
    return watching >= level if closed else watching > level


def has_held(holds: Bools, t_s: Floats, starts: Indices, least_s: float) -> Bools:
    """Return the samples at which the condition has held at every sample since one at least `least_s` earlier."""
    index = np.arange(holds.size)
    since = np.maximum.accumulate(np.where(holds, -1, index)) + 1  # first sample of the present run
    since = np.maximum(since, starts)
    held = np.zeros(holds.size, dtype=np.bool_)
    on = np.flatnonzero(holds)
    held[on] = t_s[on] - t_s[since[on]] >= least_s - TIME_TOLERANCE_S
    return held


# ---- a sample at a time ----------------------------------------------------------------------------------------------


def watch(window: Samples, since: float, t: float, x: float, rule: Rule) -> tuple[float, Samples]:
    """The watched number at a sample, and the window to keep. `since`: when the present stretch began."""
    if not rule.by_change:
        return (x if rule.sense == "above" else -x), ()
    towards = x if rule.sense == "rise" else -x
    full = since <= t - rule.window_s + TIME_TOLERANCE_S
    kept = (*window, (t, towards))
    if rule.rise_by == "points":
        reached = [i for i, (at, _) in enumerate(kept) if at <= t - rule.window_s + TIME_TOLERANCE_S]
        kept = kept[reached[-1] :] if reached else kept
        return (towards - kept[0][1] if full else -math.inf), kept
    kept = tuple(sample for sample in kept if sample[0] >= t - rule.window_s - TIME_TOLERANCE_S)
    if rule.rise_by == "slope":
        if not full or len(kept) < 2:
            return -math.inf, kept
        return round(_slope(kept, t) * rule.window_s, SLOPE_DECIMALS), kept
    return towards - min(value for _, value in kept), kept


def _slope(samples: Sequence[tuple[float, float]], t: float) -> float:
    n = len(samples)
    times = [at - t for at, _ in samples]
    mean_t, mean_x = math.fsum(times) / n, math.fsum(x for _, x in samples) / n
    over = math.fsum((at - mean_t) * (x - mean_x) for at, (_, x) in zip(times, samples, strict=True))
    return over / math.fsum((at - mean_t) ** 2 for at in times)
