"""The time logic of a decision: the contract's sentences one by one, and batch against live."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings

from builders import any_rule, any_series, series
from lantern.core.decide import Change, Raise, State, run, step
from lantern.core.rule import Rule, default_gap_s
from lantern.core.signals import Series


def raises(x: list[float], **dials: object) -> list[tuple[int, int | None, str, bool]]:
    rule = replace(Rule("above", 5.0), **dials)  # type: ignore[arg-type]
    return [(r.raised, r.cleared, r.cleared_by, r.repeat) for r in run(series(x), rule)]


def test_sustain_counts_from_the_first_sample_that_holds() -> None:
    # holds at 1..4; three seconds after the sample at 1 s is the sample at 4 s
    assert raises([0, 6, 6, 6, 6, 0], sustain_s=3.0) == [(4, 5, "reading", False)]
    assert raises([0, 6, 6, 6, 0, 6], sustain_s=3.0) == []
    assert raises([0, 6, 0], sustain_s=0.0) == [(1, 2, "reading", False)]


def test_above_and_below_are_strict() -> None:
    assert raises([5, 5, 5]) == []
    assert run(series([5, 4.9]), Rule("below", 5.0))[0].raised == 1


def test_hysteresis_keeps_it_raised() -> None:
    assert raises([6, 4.5, 4, 6], hysteresis=1.0) == [(0, 2, "reading", False), (3, None, "end", False)]
    # x > threshold - hysteresis: exactly at the relaxed level it is no longer kept
    assert raises([6, 4.0], hysteresis=1.0)[0][1] == 1


def test_clear_needs_every_sample_since() -> None:
    assert raises([6, 0, 6, 0, 0, 0], clear_s=2.0) == [(0, 5, "reading", False)]


def test_fresh_raise_inside_rearm_waits_if_still_due() -> None:
    assert raises([6, 0, 6, 6, 6, 6, 6], rearm_s=5.0) == [(0, 1, "reading", False), (5, None, "end", False)]
    assert [r[0] for r in raises([6, 0, 6, 0, 0, 0, 0], rearm_s=5.0)] == [0]


def test_repeat_raises_again_while_raised() -> None:
    got = raises([6] * 7 + [0], rearm_s=3.0, repeat=True)
    assert got == [(0, 7, "reading", False), (3, 7, "reading", True), (6, 7, "reading", True)]
    assert len(raises([6] * 7 + [0], rearm_s=3.0)) == 1


def test_gap_resets_and_rearm_runs_on() -> None:
    s = Series(np.array([0.0, 1, 2, 10, 11, 12]), np.full(6, 6.0))
    rule = Rule("above", 5.0, sustain_s=2.0, gap_s=3.0)
    assert run(s, rule) == [Raise(2, 2, "gap", False), Raise(5, None, "end", False)]
    assert len(run(s, replace(rule, rearm_s=30.0))) == 1


def test_default_gap_is_three_median_intervals_and_at_least_a_second() -> None:
    assert default_gap_s(np.arange(10) * 0.25) == 1.0
    assert default_gap_s(np.arange(10) * 2.0) == 6.0


def test_rise_looks_at_the_least_of_the_window() -> None:
    s = series([20, 20, 21, 22, 23, 23, 23, 23, 23, 23])
    assert [r.raised for r in run(s, Rule("rise", 3.0, window_s=3.0))] == [4]
    # a slower rise than the window never adds up
    assert run(series([20, 20.5, 21, 21.5, 22, 22.5]), Rule("rise", 3.0, window_s=3.0)) == []
    assert [r.raised for r in run(series([20, 17]), Rule("fall", 3.0, window_s=3.0))] == [1]


def test_times_are_compared_with_a_microsecond() -> None:
    t = np.array([0.0, 0.9999995, 1.9999995])
    assert run(Series(t, np.full(3, 6.0)), Rule("above", 5.0, sustain_s=2.0))[0].raised == 2


def live(s: Series, rule: Rule) -> list[Raise]:
    """Drive `step` and put its changes together as `run` gives them."""
    state, out, index = State(), [], {t: i for i, t in enumerate(s.t_s.tolist())}
    open_from = 0
    for t, x, paused_s in zip(s.t_s.tolist(), s.x.tolist(), s.paused_s.tolist(), strict=True):
        state, changes = step(state, t, x, rule, paused_s)
        for change in changes:
            if change.what == "clear":
                for at in range(open_from, len(out)):
                    out[at] = replace(out[at], cleared=index[change.t], cleared_by=change.cleared_by)
            else:
                if change.what == "raise":
                    open_from = len(out)
                out.append(Raise(index[change.t], None, "end", change.what == "repeat"))
    return out


@settings(max_examples=500, deadline=None)
@given(any_series(), any_rule())
def test_live_equals_batch(s: Series, rule: Rule) -> None:
    assert live(s, rule) == run(s, rule)


@settings(max_examples=250, deadline=None)
@given(any_series(most=150, decimals=1), any_rule(senses=("above", "below"), learning=True))
def test_live_equals_batch_where_it_learns(s: Series, rule: Rule) -> None:
    assert live(s, rule) == run(s, rule)


def test_step_refuses_time_running_back() -> None:
    state, _ = step(State(), 1.0, 0.0, Rule("above", 5.0))
    with pytest.raises(ValueError, match="does not follow"):
        step(state, 1.0, 0.0, Rule("above", 5.0))


def test_gap_is_told_at_the_next_sample() -> None:
    rule = Rule("above", 5.0, gap_s=2.0)
    state, first = step(State(), 0.0, 6.0, rule)
    _, second = step(state, 10.0, 0.0, rule)
    assert first == [Change("raise", 0.0)]
    assert second == [Change("clear", 0.0, "gap")]


def test_it_clears_at_the_decimal_that_is_meant() -> None:
    """4.6 - 1.0 is 3.5999999999999996 in binary; a reading of 3.6 is not above 3.6, and clears."""
    assert [r.cleared for r in run(series([0, 5.0, 3.6, 5.0]), Rule("above", 4.6, hysteresis=1.0))] == [2, None]
    assert [r.cleared for r in run(series([9, 4.0, 5.6, 4.0]), Rule("below", 4.6, hysteresis=1.0))] == [2, None]
