"""Intervals against scipy, published values, and Garwood's table."""

from __future__ import annotations

import pytest
from scipy.stats import binomtest, chi2

from checks import check
from lantern.core.scoring.intervals import poisson_rate, wilson


@pytest.mark.parametrize(("hits", "trials"), [(0, 3), (3, 3), (7, 100), (1, 2), (950, 1000), (0, 1), (45, 60)])
def test_wilson_equals_scipy(hits: int, trials: int) -> None:
    reference = binomtest(hits, trials).proportion_ci(0.95, method="wilson")
    assert wilson(hits, trials) == pytest.approx((reference.low, reference.high), abs=1e-12)


def test_wilson_as_published() -> None:
    assert wilson(950, 1000) == check("C04")[1]
    assert wilson(7, 100) == pytest.approx((0.0343, 0.1375), abs=5e-5)  # the same in scipy and statsmodels


@pytest.mark.parametrize("name", ["J05", "J06"])
def test_poisson_as_published(name: str) -> None:
    inputs, expected = check(name)
    assert list(poisson_rate(inputs["k"], inputs["T_h"])) == expected


@pytest.mark.parametrize(
    ("count", "low", "high"),
    # F. Garwood, Biometrika 28 (1936), table of 95 % limits; from memory, to the digits printed
    [(0, 0.0, 3.689), (1, 0.0253, 5.572), (5, 1.623, 11.668), (10, 4.795, 18.390)],
)
def test_poisson_against_garwoods_table(count: int, low: float, high: float) -> None:
    assert poisson_rate(count, 1.0) == pytest.approx((low, high), abs=1e-3)


@pytest.mark.parametrize("count", [0, 1, 3, 20, 400])
def test_poisson_equals_scipys_chi_squared(count: int) -> None:
    low, high = poisson_rate(count, 2.5)
    assert low == pytest.approx(chi2.ppf(0.025, 2 * count) / 5 if count else 0.0)
    assert high == pytest.approx(chi2.ppf(0.975, 2 * count + 2) / 5)


def test_nothing_observed_is_undefined_not_zero() -> None:
    assert wilson(0, 0) is None
    assert poisson_rate(0, 0) is None
