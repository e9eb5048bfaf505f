"""What a sensor's own noise would raise: expected false tests a day, from the noise of the take itself.

Each figure counts tests, one a sample, as if noise were white and alone; overlapping windows resemble each other, so the
alarms are fewer, and drift comes on top. A rise of the mean is not noise: hold the marks' stretches out.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from scipy.special import log_ndtr, ndtr

from lantern.core.baseline import NORMAL_FROM_MAD, median_and_mad
from lantern.core.rule import RiseBy, Rule
from lantern.core.scoring.marks import Mark, within
from lantern.core.signals import Floats, Series

DAY_S = 86_400.0
LEAST_SAMPLES = 30


def noise_of(series: Series, marks: Sequence[Mark] = ()) -> float | None:
    """Robust standard deviation of one sample, from differences of neighbours outside `expect` marks; None: too few.

    Differences leave drift and slow changes out; 1.4826 MAD of them is sqrt(2) sigma for a normal distribution.
    """
    steps = np.diff(series.x)
    quiet = np.ones(steps.size, dtype=np.bool_)
    for mark in marks:
        if mark.label == "expect":
            quiet &= ~((series.t_s[1:] >= mark.from_s) & (series.t_s[1:] <= mark.end_s))
    steps = steps[quiet]
    if steps.size < LEAST_SAMPLES:
        return None
    _, mad = median_and_mad(steps.tolist())
    return NORMAL_FROM_MAD * mad / math.sqrt(2)


def slope_gain(n: int) -> float:
    """Standard deviation of (slope x window) over that of a sample, n samples in the window: sqrt(12 (n-1) / (n (n+1)))."""
    return math.sqrt(12 * (n - 1) / (n * (n + 1)))


def change_probability(by: RiseBy, threshold: float, sigma: float, n: int) -> float:
    """Probability that one test sees a change of at least `threshold` in noise alone, `n` samples in the window (textbook)."""
    if sigma <= 0 or n < 2:
        return 0.0
    a = threshold / sigma
    if by == "points":
        return float(ndtr(-a / math.sqrt(2)))
    if by == "slope":
        return float(ndtr(-a / slope_gain(n)))
    # x - min(others) >= a: integrate over x what is left when all n - 1 others stay above x - a
    z = np.linspace(-10, 10, 4001)
    density = np.exp(-z * z / 2) / math.sqrt(2 * math.pi)
    return float(np.trapezoid(density * -np.expm1((n - 1) * log_ndtr(a - z)), z))


def false_per_day(rule: Rule, sigma: float, interval_s: float, quiet: Floats) -> float:
    """False tests a day of a rule on a reading with that noise. `quiet`: readings without an event, for a fixed level.

    With a sustain time every sample of it must pass, taken as independent; so this is for the first sample alone where
    `sustain_s` is 0, and falls fast with it.
    """
    if rule.by_change:
        n = round(rule.window_s / interval_s) + 1
        p = change_probability(rule.rise_by, rule.level, sigma, n)
    else:
        level = float(np.median(quiet))
        away = rule.level - level if rule.sense == "above" else level - rule.level
        p = float(ndtr(-away / sigma)) if sigma > 0 else float(away < 0)
    in_a_row = 1 if rule.by_change else math.floor(rule.sustain_s / interval_s + 1e-9) + 1
    return p**in_a_row * DAY_S / interval_s


def quiet_readings(series: Series, marks: Sequence[Mark]) -> Floats:
    """The readings outside `expect` marks."""
    keep = [not any(m.label == "expect" and within(t, m.from_s, m.end_s) for m in marks) for t in series.t_s.tolist()]
    return series.x[np.array(keep, dtype=np.bool_)]
