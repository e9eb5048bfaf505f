"""What became of each object and why, case by case."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from core.objects.test_kinds import DOWN, LINE, UP, ZONE, subject, tracks
from lantern.core.objects.region import ObjectRegion
from lantern.core.objects.verdicts.sighted import ORDER, WORDS
from lantern.core.scoring.marks import Mark
from lantern.core.tracks import Tracks, make_tracks

BESIDE = [(50, 4), (50, 12), (50, 20)]  # the endless line is crossed, beyond its end
NEAR = [(20, 4), (20, 9), (20, 11), (20, 9), (20, 4)]  # touches and goes again
OTHER = ObjectRegion(name="other", shape="box", points=((40, 10), (60, 30)))


def codes(held: Any) -> list[str]:
    return [verdict.code for verdict in held.verdicts()]


def test_every_code_has_words() -> None:
    assert set(ORDER) == set(WORDS)


def test_lines() -> None:
    held = subject("crossing", tracks(DOWN, UP, NEAR, BESIDE, [(20, 1), (20, 2)]), LINE, band=2, direction="a_to_b")
    assert codes(held) == ["raised", "other_direction", "turned_back", "beyond_end", "away"]
    texts = [verdict.text for verdict in held.verdicts()]
    assert texts[0] == "Raised a to b at 3.0 s."
    assert "more than 2 px" in texts[2]
    assert "beyond an end of line" in texts[3]


def test_a_share_of_the_box_that_never_comes() -> None:
    held = subject("crossing", tracks([(20, 4), (20, 8), (20, 12)]), LINE, across_percent=90)
    assert codes(held) == ["not_across"]  # 2 of its 8 px are beyond


def test_filters_name_themselves() -> None:
    labels = ["person"] * 4 + ["trolley"] * 4 + ["person"] * 8
    sure = np.array([0.9] * 8 + [0.3] * 4 + [0.9] * 4)
    plain = tracks(DOWN, DOWN, DOWN, DOWN)
    box = plain.box.copy()
    box[12:, 3] = 30.0
    box[12:, 1] -= 22
    held = make_tracks(plain.t_s, plain.object, box, confidence=sure, labels=labels)
    judged = subject("crossing", held, LINE, classes=["person"], min_confidence=0.5, max_height_px=20)
    assert codes(judged) == ["raised", "class", "confidence", "size"]
    assert "trolley" in judged.verdicts()[1].text
    assert "0.30" in judged.verdicts()[2].text
    assert "30 to 30 px" in judged.verdicts()[3].text


def test_within_the_rearm_time_of_its_own() -> None:
    """One object, over the line and back; it raised once, and that is what is said of it. A count says what it comes to."""
    there_and_back = tracks(DOWN + UP[1:])
    assert codes(subject("crossing", there_and_back, LINE, rearm_s=60)) == ["raised"]
    [verdict] = subject("count", there_and_back, LINE).verdicts()
    assert verdict.text == "Passed in, out: nothing in all."


def cut_off(first_x: float) -> Tracks:
    """Comes into a picture of 100 x 100 px from the left, cut off at first, and walks on to the right."""
    x = first_x + np.arange(8.0) * 4
    box = np.column_stack((np.maximum(x - 6, 0), np.full(8, 40.0), np.where(x < 6, x + 6, 12), np.full(8, 20.0)))
    return make_tracks(np.arange(8) / 5, np.zeros(8, dtype=np.int64), box, frame_px=(100, 100), fps=5.0)


def test_never_wholly_in_view_before_the_line() -> None:
    line = ObjectRegion(name="line", shape="line", points=((2, 90), (2, 10)))
    assert codes(subject("crossing", cut_off(1), line, band=1)) == ["unseen_before"]
    assert codes(subject("crossing", cut_off(20), line, band=1)) == ["away"]


@pytest.mark.parametrize(
    ("path", "dials", "code"),
    [
        ([(20, 20)] * 3 + [(50, 50)], {"when": "inside", "dwell_s": 5}, "too_short"),
        ([(20, 20)] * 3, {"when": "enter"}, "born_inside"),
        ([(5, 5), (20, 20)], {"when": "leave"}, "still_inside"),
        ([(5, 5), (20, 20), (50, 50)], {"when": "enter", "enter_after_s": 2}, "too_short"),
        ([(20, 20), (50, 50)], {"when": "leave", "leave_after_s": 2}, "still_inside"),
        ([(5, 5), (6, 6)], {"when": "enter"}, "away"),
        ([(5, 5), (20, 20)], {"when": "enter"}, "raised"),
    ],
)
def test_zones(path: list[tuple[float, float]], dials: dict[str, Any], code: str) -> None:
    held = subject("zone", tracks(path), ZONE, **dials)
    assert codes(held) == [code]
    if "enter_after_s" in dials:
        assert held.verdicts()[0].text == "Was inside, but never for 2 s without a sample outside."
    elif code == "too_short":
        assert held.verdicts()[0].text == "Inside for 2.0 s at most, 3.0 s short of 5 s."


def test_paths() -> None:
    both, slow, one = [(20, 20), (50, 20)], [(20, 20)] + [(35, 20)] * 9 + [(50, 20)], [(20, 20), (35, 20)]
    held = subject("path", tracks(both, slow, one, [(1, 1)]), ZONE, OTHER, within_s=5)
    assert codes(held) == ["raised", "late", "part", "away"]
    assert "1 of 2 steps (zone)" in held.verdicts()[2].text


def test_a_missed_mark_asks_whoever_came_nearest() -> None:
    held = subject("crossing", tracks(NEAR, [(20, 1)] * 5), LINE, band=2)
    reason = held.why_silent(Mark(0, 4, "expect"))
    assert reason.code == "turned_back"
    assert reason.text.startswith("Object 1: ")
    assert held.why_silent(Mark(100, 110, "expect")).code == "no_data"
    raised = subject("crossing", tracks(DOWN), LINE)
    assert raised.why_silent(Mark(0, 1, "expect")).code == "elsewhere"
