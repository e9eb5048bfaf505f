"""Intervals for few counts: Wilson for shares, exact Poisson for rates. Both two-sided, 95 % unless said otherwise."""

from __future__ import annotations

import math

from scipy.special import bdtr, betaincinv, chdtri, ndtri

CONFIDENCE = 0.95
ONE_SIDED_Z = float(ndtri(CONFIDENCE))  # 1.645
TWO_SIDED_Z = float(ndtri(0.5 + CONFIDENCE / 2))  # 1.96


def wilson(hits: int, trials: int, *, confidence: float = CONFIDENCE) -> tuple[float, float] | None:
    """Score interval of a share. None without trials.

    centre (p + z^2/2n)/(1 + z^2/n), half-width z/(1 + z^2/n) * sqrt(p(1-p)/n + z^2/4n^2).
    Source: E. B. Wilson, Probable inference, JASA 22 (1927).
    """
    if trials == 0:
        return None
    if not 0 <= hits <= trials:
        raise ValueError(f"{hits} hits of {trials} trials")
    z = float(ndtri(0.5 + confidence / 2))
    share, scale = hits / trials, 1 + z * z / trials
    centre = (share + z * z / (2 * trials)) / scale
    half = z / scale * math.sqrt(share * (1 - share) / trials + z * z / (4 * trials * trials))
    low = 0.0 if hits == 0 else centre - half
    high = 1.0 if hits == trials else centre + half
    return low, high


def poisson_rate(count: int, exposure: float, *, confidence: float = CONFIDENCE) -> tuple[float, float] | None:
    """Exact interval of a rate, in 1/unit of `exposure`. None without exposure.

    [chi2(a/2, 2k), chi2(1-a/2, 2k+2)] / 2T, the lower end 0 at k = 0. Source: F. Garwood, Biometrika 28 (1936).
    """
    if exposure <= 0:
        return None
    tail = (1 - confidence) / 2
    low = 0.0 if count == 0 else float(chdtri(2 * count, 1 - tail)) / 2
    high = float(chdtri(2 * count + 2, tail)) / 2
    return low / exposure, high / exposure


def rate_at_most(count: int, exposure: float, *, confidence: float = CONFIDENCE) -> float | None:
    """One-sided upper bound of a rate: with `count` seen, it is below this with that confidence. None without exposure.

    chi2(confidence, 2k+2) / 2T: 3.00/T where nothing was seen. Source: F. Garwood, Biometrika 28 (1936).
    """
    if exposure <= 0:
        return None
    return float(chdtri(2 * count + 2, 1 - confidence)) / 2 / exposure


def exposure_for(rate: float, seen: int = 0, *, confidence: float = CONFIDENCE) -> float:
    """Return how much must be watched, `seen` false alarms in it, to show a rate of at most `rate`, in its unit
    (one-sided).
    """
    return float(chdtri(2 * seen + 2, 1 - confidence)) / 2 / rate


def events_for(share: float, misses: int = 0, *, confidence: float = CONFIDENCE) -> int:
    """Return how many events, `misses` of them missed, show that at least `share` are caught (one-sided, exact
    binomial).
    """
    if not 0 < share < 1:
        raise ValueError(f"share {share:g}")
    n = misses + 1
    while bdtr(misses, n, 1 - share) > 1 - confidence:
        n += 1
    return n


def rates_differ(count_a: int, exposure_a: float, count_b: int, exposure_b: float) -> float:
    """Two-sided p-value that two Poisson rates are equal: exact binomial on the first count (textbook)."""
    total = count_a + count_b
    return _binomial_test(count_a, total, exposure_a / (exposure_a + exposure_b)) if total else 1.0


def pairs_differ(only_a: int, only_b: int) -> float:
    """Exact McNemar test: two settings on the same marks, `only_a` caught by the first alone, `only_b` by the second."""
    total = only_a + only_b
    return _binomial_test(only_a, total, 0.5) if total else 1.0


def exact_share(hits: int, trials: int) -> tuple[float, float] | None:
    """The exact interval of a share, wider than Wilson's. None without trials. Source: Clopper and Pearson, Biometrika 26 (1934)."""
    if trials == 0:
        return None
    tail = (1 - CONFIDENCE) / 2
    low = 0.0 if hits == 0 else float(betaincinv(hits, trials - hits + 1, tail))
    high = 1.0 if hits == trials else float(betaincinv(hits + 1, trials - hits, 1 - tail))
    return low, high


def _binomial_test(hits: int, trials: int, share: float) -> float:
    """Two-sided p. The library is fetched where it is asked for: it takes a second, and most commands never ask."""
    from scipy.stats import binomtest

    return float(binomtest(hits, trials, share).pvalue)
