"""Scoring as the contract words it; the most hits possible, against an assignment by scipy."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import linear_sum_assignment

from builders import any_marks
from checks import check
from lantern.core.scoring.cards import card
from lantern.core.scoring.marks import Mark, Slack, exposure_s, judge
from lantern.core.scoring.tally import Tally


def expect(start: float, end: float) -> Mark:
    return Mark(start, end, "expect")


def test_first_event_hits_further_ones_repeat_elsewhere_false() -> None:
    marks = [expect(10, 20), Mark(30, 40, "ignore"), Mark(50, 60, "quiet")]
    judged = judge([5, 12, 15, 35, 55], marks)
    assert judged.verdicts == ("false", "hit", "repeat", "ignored", "false")
    assert judged.missed == ()


def test_windows_are_closed_and_widened_by_the_slack() -> None:
    assert judge([10, 20.0000005], [expect(10, 20)]).verdicts == ("hit", "repeat")
    assert judge([8, 23], [expect(10, 20)], Slack(2, 3)).verdicts == ("hit", "repeat")
    assert judge([7.9], [expect(10, 20)], Slack(2, 3)).verdicts == ("false",)


def test_of_two_marks_the_one_that_ends_first_is_hit() -> None:
    judged = judge([12, 14], [expect(10, 40), expect(11, 15)])
    assert judged.hit_marks == (1, 0)


def test_more_matches_than_greedy_nearest() -> None:
    inputs, expected = check("J01")  # truth 0 and 4, detections 3 and 6, tolerance 3: two, where greedy gives one
    marks = [expect(t, t + 1e-9) for t in inputs["truth_s"]]
    slack = Slack(inputs["tau_s"], inputs["tau_s"])
    assert judge(inputs["det_s"], marks, slack).verdicts.count("hit") == expected


@settings(max_examples=200, deadline=None)
@given(st.lists(st.integers(0, 80), max_size=12), any_marks())
def test_no_assignment_hits_more(times: list[int], marks: list[Mark]) -> None:
    raised = sorted(float(t) for t in times)
    wanted = [m for m in marks if m.label == "expect"]
    hits = judge(raised, marks).verdicts.count("hit")
    if raised and wanted:
        allowed = np.array([[m.from_s <= t <= m.end_s for m in wanted] for t in raised], dtype=float)
        rows, columns = linear_sum_assignment(-allowed)
        assert hits == int(allowed[rows, columns].sum())
    else:
        assert hits == 0


@settings(max_examples=200, deadline=None)
@given(st.lists(st.tuples(st.integers(0, 80), st.booleans()), max_size=25), any_marks())
def test_the_running_tally_equals_judging_anew(steps: list[tuple[int, bool]], marks: list[Mark]) -> None:
    tally, held = Tally(marks, Slack(0.5, 1)), []
    for t, leave in steps:
        if leave and held:
            [zone] = tally.zones(np.array([gone := held.pop(0)]))
            tally.change(zone, gone, -1)
        else:
            tally.add(float(t))
            held.append(float(t))
        raised = sorted(held)
        judged = judge(raised, marks, Slack(0.5, 1))
        scored = card(judged, raised, marks, 100.0)
        assert tally.counts() == (
            scored.hits,
            scored.misses,
            scored.false_alarms,
            scored.repeats,
            scored.ignored,
            scored.median_delay_s,
            max(scored.delays_s, default=None),
        )


def test_exposure_leaves_out_expected_and_ignored_once() -> None:
    marks = [expect(10, 30), Mark(20, 40, "ignore"), Mark(50, 60, "quiet"), expect(90, 200)]
    assert exposure_s(100, marks) == pytest.approx(100 - 30 - 10)


def test_a_card_says_null_where_nothing_is_known() -> None:
    empty = card(judge([], []), [], [], 0.0).as_dict()
    assert empty["hit_rate"] is None
    assert empty["false_per_hour"] is None
    assert empty["median_delay_s"] is None
    assert empty["delays_s"] == []


def test_where_nobody_said_when_it_began_an_earlier_raise_finds_it_and_has_no_delay() -> None:
    said, open_ = Mark(20, 30, "expect"), Mark(20, 30, "expect", lead_s=8)
    for raised_s, verdicts in ((14.0, ("false", "hit")), (11.9, ("false", "false")), (20.0, ("hit", "hit"))):
        found = [judge([raised_s], [mark]) for mark in (said, open_)]
        assert tuple(each.verdicts[0] for each in found) == verdicts
    scored = card(judge([14.0], [open_]), [14.0], [open_], 100.0)
    assert (scored.hits, scored.misses, scored.delays_s, scored.median_delay_s) == (1, 0, (), None)
    assert exposure_s(100.0, [open_]) == 90.0  # the mark as it stands


def test_a_share_of_hits_is_the_recall_as_published() -> None:
    """J04: 18 of 24 found, 4 raised falsely; the precision and F1 of it are no measures of ours."""
    marks = [expect(10 * at, 10 * at + 2) for at in range(24)]
    raised = [10 * at + 1.0 for at in range(18)] + [300.0, 310.0, 320.0, 330.0]
    scored = card(judge(raised, marks), raised, marks, 400.0)
    assert (scored.hits, scored.false_alarms, scored.misses) == (18, 4, 6)
    assert scored.hit_rate == check("J04")[1].expected[1]


def test_a_card_by_hand() -> None:
    marks = [expect(100, 200), expect(300, 400), expect(500, 600)]
    raised = [50.0, 110.0, 330.0, 340.0]
    got = card(judge(raised, marks), raised, marks, 3900.0)
    assert (got.hits, got.misses, got.false_alarms, got.repeats) == (2, 1, 1, 1)
    assert got.delays_s == (10.0, 30.0)
    assert got.median_delay_s == 20.0
    assert got.exposure_h == pytest.approx(1.0)
    assert got.false_per_hour == pytest.approx(1.0)
