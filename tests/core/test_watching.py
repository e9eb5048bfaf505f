"""The watched number: slopes against numpy's fit, two points, windows that must be full, and where a decision cannot know."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings

from builders import any_series, series
from lantern.core.rule import Rule, default_gap_s, levels
from lantern.core.signals import Series
from lantern.core.watching import gaps, sliding_least, stretch_starts, unknown_spans, watched


@settings(max_examples=200, deadline=None)
@given(any_series(most=40, decimals=1))
def test_a_slope_is_numpys_least_squares_fit(s: Series) -> None:
    rule = Rule("rise", 1.0, window_s=4.0, rise_by="slope", gap_s=3.0)
    starts = stretch_starts(s, rule.gap_s)
    got = watched(s, rule)
    for i, t in enumerate(s.t_s):
        inside = [k for k in range(starts[i], i + 1) if s.t_s[k] >= t - 4.0 - 1e-6]
        full = s.t_s[starts[i]] <= t - 4.0 + 1e-6
        if not full or len(inside) < 2:
            assert got[i] == -np.inf
        else:
            fitted = np.polyfit(s.t_s[inside] - t, s.x[inside], 1)[0] * 4.0
            assert got[i] == pytest.approx(fitted, abs=1e-6)


def test_a_slope_keeps_its_digits_over_days() -> None:
    # a day's squared seconds are 7e9: without care the last minute's slope would drown in them
    t = np.arange(0.0, 7 * 86_400, 1.0)[-4000:]
    rule = Rule("rise", 1.0, window_s=60.0, rise_by="slope")
    got = watched(Series(t, 20 + 0.001 * (t - t[0])), rule)
    assert got[-1] == pytest.approx(0.06, abs=1e-7)


def test_two_points_look_at_the_sample_at_the_windows_start() -> None:
    rule = Rule("rise", 1.0, window_s=3.0, rise_by="points")
    assert watched(series([0, 9, 0, 5, 12]), rule).tolist() == [-np.inf, -np.inf, -np.inf, 5, 3]
    fall = Rule("fall", 1.0, window_s=1.0, rise_by="points")
    assert watched(series([5, 3, 4]), fall).tolist() == [-np.inf, 2, -1]


def test_no_window_reaches_over_a_gap_or_a_pause() -> None:
    t = np.array([0.0, 1, 2, 10, 11, 13, 14])
    paused = np.array([0.0, 0, 0, 0, 0, 1.5, 0])
    s = Series(t, np.array([9.0, 9, 9, 0, 1, 5, 6]), paused_s=paused)
    rule = Rule("fall", 1.0, window_s=60.0, gap_s=3.0)
    assert gaps(s, 3.0).tolist() == [False, False, True, False, False, False]
    assert stretch_starts(s, 3.0).tolist() == [0, 0, 0, 3, 3, 5, 5]
    assert stretch_starts(s, 3.0, pauses=False).tolist() == [0, 0, 0, 3, 3, 3, 3]
    assert watched(s, rule).tolist() == [0, 0, 0, 0, 0, 0, 0]


def test_unknown_says_from_when_to_when_and_why() -> None:
    t = np.array([0.0, 1, 2, 10, 11, 13, 14])
    s = Series(t, np.zeros(7), paused_s=np.array([0.0, 0, 0, 0, 0, 1.5, 0]))
    rule = Rule("above", 1.0, gap_s=3.0)
    assert unknown_spans(s, rule) == [(2.0, 10.0, "frames lost"), (11.0, 13.0, "shutter")]
    learning = Rule("above", 1.0, gap_s=30.0, baseline_s=60.0)
    assert unknown_spans(series([0] * 20), learning) == [(0.0, 9.0, "learning")]
    assert unknown_spans(series([0] * 5), learning) == [(0.0, 4.0, "learning")]


@settings(max_examples=100, deadline=None)
@given(any_series(most=60))
def test_the_sliding_least_is_the_least(s: Series) -> None:
    first = np.searchsorted(s.t_s, s.t_s - 5.0)
    assert sliding_least(s.x, first).tolist() == [min(s.x[a : i + 1]) for i, a in enumerate(first)]


def test_levels_of_a_learning_rule_are_an_excess_either_way() -> None:
    assert levels(Rule("below", 3.0, hysteresis=1.0)) == (-3.0, -4.0, False)
    assert levels(Rule("below", 3.0, hysteresis=1.0, baseline_s=60.0)) == (3.0, 2.0, False)
    assert levels(Rule("fall", 3.0, hysteresis=1.0)) == (3.0, 2.0, True)
    assert default_gap_s(np.zeros(1)) == 1.0
