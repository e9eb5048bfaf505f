"""Where people are, what classes are worth, and one object's life."""

from __future__ import annotations

import pytest

from core.objects.test_kinds import DOWN, LINE, ZONE, subject, tracks
from lantern.core.objects.scene import class_lines, dwell, life, presence
from lantern.core.scoring.marks import Mark
from lantern.core.tracks import usual_classes


def test_presence_adds_up_to_the_time_in_view() -> None:
    held = tracks([(20, 20)] * 30 + [(60, 40)] * 10, frame_px=(80, 64), fps=1.0)
    seconds = presence(held, "foot")
    assert seconds.shape == (4, 5)
    assert seconds.sum() == pytest.approx(40)
    assert (seconds[1, 1], seconds[2, 3]) == (30, 10)


def test_dwell_is_the_longest_stay_of_one_and_not_of_many_who_pass() -> None:
    waits, passes = [(20.0, 20.0)] * 30, [(60.0, 40.0)] * 10
    held = tracks(waits, passes, passes, passes, passes, frame_px=(80, 64), fps=2.0)
    assert presence(held, "foot")[2, 3] == 20
    seconds = dwell(held, "foot")
    assert (seconds[1, 1], seconds[2, 3], seconds.sum()) == (15, 5, 20)
    assert dwell(held.only(held.object > 9), "foot").sum() == 0


def test_what_each_class_would_add() -> None:
    held = subject("crossing", tracks(DOWN, DOWN, labels=["person"] * 4 + ["trolley"] * 4), LINE, classes=["person"])
    lines = {line.name: line for line in class_lines(held, [Mark(1, 3, "expect")])}
    assert [(k, v.objects, v.counts, v.raises, v.hits) for k, v in lines.items()] == [
        ("person", 1, True, 1, 1),
        ("trolley", 1, False, 1, 1),
    ]


def test_a_life() -> None:
    held = subject("crossing", tracks(DOWN, labels=["person"] * 3 + ["cat"], frame_px=(100, 100)), LINE)
    found = life(held, 0)
    assert (found["id"], found["from_s"], found["to_s"], found["samples"], found["cut_off"]) == (1, 0.0, 3.0, 4, 2)
    assert found["traces"]["line"] == {"t_s": [0, 1, 2, 3], "x": [-6.0, -2.0, 2.0, 6.0], "unit": "px"}
    assert found["classes"] == {"person": 3, "cat": 1}
    assert found["verdict"]["code"] == "raised"
    assert life(subject("zone", tracks(DOWN), ZONE), 0)["traces"]["zone"]["x"] == [0, 0, 1, 1]


def test_an_object_is_usually_what_most_of_its_samples_show() -> None:
    labels = ["person", "cat", "cat", "", "", "", "", "person", "", "person", "cat", ""]
    held = tracks(DOWN, DOWN, DOWN, labels=labels)
    assert [held.class_name(label) for label in usual_classes(held).tolist()] == ["cat", "person", "cat"]
    assert usual_classes(tracks(DOWN)).tolist() == [-1]
