"""False alarms by what somebody wrote at the quiet marks that they lie in."""

from __future__ import annotations

import pytest

from lantern.core.scoring.marks import Mark, exposure_s, judge
from lantern.core.scoring.nuisance import ELSEWHERE, by_note, of_one

MARKS = [
    Mark(10, 20, "expect", note="a boat"),
    Mark(30, 60, "quiet", note="rain"),
    Mark(40, 42, "quiet", note="gulls"),
    Mark(70, 80, "quiet"),
    Mark(90, 95, "ignore", note="works"),
]


def said(raised_s: list[float]) -> list[tuple[str, int]]:
    return by_note(raised_s, judge(raised_s, MARKS).verdicts, MARKS)


def test_the_shorter_of_two_marks_says_what_it_was_and_the_rest_comes_last() -> None:
    # 12 hits and 15 repeats, 92 is ignored; 41 lies in the gulls within the rain
    assert said([5.0, 12.0, 15.0, 31.0, 41.0, 55.0, 75.0, 92.0]) == [("rain", 2), ("gulls", 1), (ELSEWHERE, 2)]


def test_where_no_note_speaks_of_one_there_is_nothing_to_tell() -> None:
    assert said([5.0, 12.0, 75.0]) == []
    assert said([]) == []


def test_the_false_alarms_of_one_note_can_be_counted_alone() -> None:
    raised_s = [5.0, 12.0, 15.0, 31.0, 40.0, 41.0, 55.0, 60.0, 75.0, 92.0]
    for note, expected in (("rain", 3), ("gulls", 2), (ELSEWHERE, 2)):
        judged = judge(raised_s, of_one(MARKS, note, 100.0))
        assert (
            judged.verdicts.count("false")
            == expected
            == dict(by_note(raised_s, judge(raised_s, MARKS).verdicts, MARKS))[note]
        )
        assert judged.verdicts[1:3] == ("hit", "repeat")
        assert judged.missed == ()
    assert exposure_s(100.0, of_one(MARKS, "gulls", 100.0)) == pytest.approx(2.0, abs=1e-3)
