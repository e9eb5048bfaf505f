"""The exact sweep against brute force: every row's value, and values at its edges, judged by running the rule anew."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import checks
from builders import any_marks, any_rule, any_series, at_value
from lantern.core.exact.sweep import counts_of, sweep_exact
from lantern.core.faults import Refused
from lantern.core.rule import Rule
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.signals import Series
from lantern.core.tuning.rows import Row, value_inside, values_in


def check(
    rows: list[Row], readings: dict, marks: list[Mark], swept: str, low: float, high: float, slack: Slack
) -> None:
    assert rows[0].start == low
    assert rows[-1].stop == high
    for before, after in pairwise(rows):
        assert before.stop == after.start
        assert before.result[:6] != after.result[:6]
    for row in rows:
        assert row.start < row.value < row.stop or row.start == row.value == row.stop == low
        width = row.stop - row.start
        for value in (row.value, row.start + 0.01 * width, row.stop - 0.01 * width):
            assert counts_of(at_value(readings, swept, value), marks, slack)[:6] == row.result[:6], value


@settings(max_examples=120, deadline=None)
@given(
    any_series(most=50, decimals=1),
    any_series(most=30),
    any_rule(senses=("above", "below")),
    any_marks(),
    st.sampled_from([0.0, 3.0]),
)
def test_threshold_equals_brute_force(a: Series, b: Series, rule: Rule, marks: list[Mark], late: float) -> None:
    readings = {"a": (a, rule), "b": (b, rule)}
    slack = Slack(early_s=late / 3, late_s=late)
    rows = sweep_exact(readings, marks, "level", low=-20, high=30, slack=slack)
    check(rows, readings, marks, "level", -20, 30, slack)


@settings(max_examples=250, deadline=None)
@given(
    st.sampled_from(["level", "hysteresis", "sustain_s", "clear_s", "rearm_s"]),
    any_series(most=50, decimals=1),
    any_rule(),
    any_marks(),
)
def test_every_exact_dial_equals_brute_force(swept: str, a: Series, rule: Rule, marks: list[Mark]) -> None:
    if swept == "rearm_s":  # 0 with repeat is refused, so the dial never stands there
        rule = replace(rule, repeat=False)
    readings = {"a": (a, rule)}
    low, high = (-20, 30) if swept == "level" else (0, 100)
    rows = sweep_exact(readings, marks, swept, low=low, high=high)  # type: ignore[arg-type]
    check(rows, readings, marks, swept, low, high, Slack())


@settings(max_examples=100, deadline=None)
@given(any_series(most=50), any_rule(), any_marks())
def test_rearm_with_repeats_equals_brute_force(a: Series, rule: Rule, marks: list[Mark]) -> None:
    readings = {"a": (a, replace(rule, repeat=True))}
    check(sweep_exact(readings, marks, "rearm_s", low=0.1, high=100), readings, marks, "rearm_s", 0.1, 100, Slack())


def test_rise_level_equals_brute_force() -> None:
    rng = np.random.default_rng(5)
    s = Series(np.arange(300.0), np.cumsum(rng.normal(0, 1, 300)))
    readings = {"a": (s, Rule("rise", 3.0, window_s=20, sustain_s=1, rearm_s=5))}
    marks = [Mark(50, 90, "expect"), Mark(150, 190, "expect")]
    rows = sweep_exact(readings, marks, "level", low=0.1, high=30)
    check(rows, readings, marks, "level", 0.1, 30, Slack())


@pytest.mark.parametrize("repeat", [False, True])
@pytest.mark.parametrize("hysteresis", [0.0, 0.3])
def test_threshold_on_a_noisy_day_with_gaps(repeat: bool, hysteresis: float) -> None:
    rng = np.random.default_rng(11)
    t = np.delete(np.arange(4000) * 0.5, [700, 701, 702, 703, 704, 705, 706, 2500])
    x = 30 + np.sin(t / 300) + rng.normal(0, 0.2, t.size) + 15 * (np.abs(t - 900) < 40)
    rule = Rule("above", 33, hysteresis=hysteresis, sustain_s=1.5, clear_s=1, rearm_s=20, repeat=repeat, gap_s=1.5)
    marks = [Mark(860, 940, "expect"), Mark(100, 200, "ignore"), Mark(1500, 1600, "expect")]
    readings = {"a": (Series(t, x), rule)}
    rows = sweep_exact(readings, marks, "level", low=0, high=100)
    assert len(rows) > 30
    for row in rows:
        assert counts_of(at_value(readings, "level", row.value), marks)[:6] == row.result[:6]
    for value in rng.uniform(28, 50, 200):
        row = next(r for r in rows if r.start <= value <= r.stop)
        assert counts_of(at_value(readings, "level", float(value)), marks)[:6] == row.result[:6]


def test_it_does_not_run_the_rule_for_every_reading(monkeypatch: pytest.MonkeyPatch) -> None:
    from lantern.core.exact import chain, sweep

    rng = np.random.default_rng(3)
    s = Series(np.arange(20_000.0), 25 + rng.normal(0, 0.1, 20_000))
    assert np.unique(s.x).size > 19_000
    ran, searches = [], []
    monkeypatch.setattr(sweep, "run", lambda *a: ran.append(a) or [])
    find = chain.FirstAbove.find
    monkeypatch.setattr(chain.FirstAbove, "find", lambda self, *a: searches.append(a) or find(self, *a))
    sweep_exact({"a": (s, Rule("above", 30, hysteresis=2, sustain_s=3, rearm_s=60))}, [], "level", low=0, high=100)
    assert ran == []
    assert len(searches) < 2000


def test_value_inside_is_short_and_inside() -> None:
    assert value_inside(50.0, 54.0) == 52.0
    low, high, middle = checks.check("J10")[
        1
    ].expected  # all of a stretch are equal: one near its middle stands for them
    assert low < value_inside(low, high) < high
    assert abs(value_inside(low, high) - middle) <= (high - low) / 4
    assert 50.001 < value_inside(50.001, 50.002) < 50.002


@pytest.mark.parametrize(("low", "high", "step"), [(0, 1, 0), (2, 1, 0.5), (0, 1e9, 1), (0, float("nan"), 1)])
def test_ranges_that_make_no_sense_are_refused(low: float, high: float, step: float) -> None:
    with pytest.raises(Refused):
        values_in(low, high, step)


def test_ranges_have_no_summed_rounding() -> None:
    assert values_in(0, 0.3, 0.1) == [0, 0.1, 0.2, 0.3]
    assert replace(Rule("above", 1.0), level=2.0).level == 2.0
