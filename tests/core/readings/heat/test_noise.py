"""Noise to false alarms: published figures, and a seeded simulation of a million samples."""

from __future__ import annotations

import numpy as np
import pytest

from checks import check
from lantern.core.readings.heat.noise import change_probability, false_per_day, noise_of, slope_gain
from lantern.core.rule import Rule
from lantern.core.scoring.marks import Mark
from lantern.core.signals import Series
from lantern.core.watching import compare, watched

MILLION = 1_000_000


def test_two_point_tests_as_published() -> None:
    inputs, expected = check("D17")
    p = change_probability("points", inputs["thr_K"], inputs["sigma_K"], 61)
    rule = Rule("rise", inputs["thr_K"], window_s=60, rise_by="points")
    assert [p, false_per_day(rule, inputs["sigma_K"], 1.0, np.zeros(1))] == expected


def test_slope_gain_and_least_slope_as_published() -> None:
    inputs, expected = check("D18")
    assert [slope_gain(n) for n in inputs["n"]] == expected
    inputs, expected = check("D19")  # one false test in 30 days at one a second
    rule = Rule("rise", expected.expected, window_s=inputs["n"] - 1, rise_by="slope")
    assert false_per_day(rule, inputs["sigma_K"], 1.0, np.zeros(1)) == pytest.approx(1 / 30, rel=2e-3)


@pytest.mark.parametrize("by", ["window", "points", "slope"])
def test_expected_false_tests_equal_a_million_simulated_ones(by: str) -> None:
    sigma, window_s = 0.05, 20.0
    rng = np.random.default_rng(20261125)
    noise = Series(np.arange(float(MILLION)), rng.normal(20, sigma, MILLION))
    threshold = {"window": 0.24, "points": 0.2, "slope": 0.09}[by]
    rule = Rule("rise", threshold, window_s=window_s, rise_by=by)  # type: ignore[arg-type]
    seen = int(compare(watched(noise, rule), threshold, closed=True).sum())
    expected = false_per_day(rule, sigma, 1.0, noise.x) / 86_400 * MILLION
    # tests overlap, so they come in clumps of up to a window: the spread is that of seen / 21 independent ones at worst
    assert seen == pytest.approx(expected, abs=4 * np.sqrt(expected * 21))
    assert expected > 500


def test_a_fixed_level_with_a_sustain_time_needs_every_sample() -> None:
    rng = np.random.default_rng(7)
    noise = Series(np.arange(float(MILLION)), rng.normal(20, 1, MILLION))
    rule = Rule("above", 21.5, sustain_s=1.0)
    above = noise.x > 21.5
    seen = int((above[1:] & above[:-1]).sum())
    assert seen == pytest.approx(false_per_day(rule, 1.0, 1.0, noise.x) / 86_400 * MILLION, rel=0.1)


def test_noise_is_found_under_drift_and_events() -> None:
    rng = np.random.default_rng(3)
    t = np.arange(5000.0)
    x = (
        rng.normal(0, 0.06, t.size)
        + 5 * np.sin(t / 800)
        + np.where((t > 2000) & (t < 2600), 30 + rng.normal(0, 2, t.size), 0)
    )
    assert noise_of(Series(t, x), [Mark(1990, 2610, "expect")]) == pytest.approx(0.06, rel=0.05)
    assert noise_of(Series(t[:10], x[:10])) is None


def test_a_level_three_deviations_away_as_published() -> None:
    _, expected = check("D24")  # samples between false tests of a two-sided 3-sigma test
    above = false_per_day(Rule("above", 23.0), 1.0, 1.0, np.full(50, 20.0))
    below = false_per_day(Rule("below", 17.0), 1.0, 1.0, np.full(50, 20.0))
    assert 86_400 / (above + below) == expected
