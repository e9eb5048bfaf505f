"""Meanings of the kind `face`, each worked out by hand."""

from __future__ import annotations

import pytest

from core.faces.scenes import Row, detector, looks_of, seen, subject
from lantern.core.faces.deciding import best_of
from lantern.core.faces.family import FACE
from lantern.core.faces.looks import Column
from lantern.core.faces.pauses import pauses
from lantern.core.faces.subject import FaceSubject
from lantern.core.faces.subject import judge as judge_face
from lantern.core.faults import Refused
from lantern.core.kinds import detector_of, judge
from lantern.core.scoring.marks import Mark

CREW = [("crew", 80.0, ["ada", "bo"])]


def raised(found: FaceSubject) -> list[tuple[float, object, object, float]]:
    return [(event.raised_s, event.object, event.own["list"], event.peak) for event in found.events()]


def test_the_best_of_a_list_is_the_highest_score_among_its_members_and_of_equals_the_first() -> None:
    looks = looks_of([(0.0, "p", [("x", 99.0), ("bo", 85.0), ("ada", 85.0)]), (1.0, "q", [("x", 99.0)])])
    best = best_of(looks, ["ada", "bo"])
    assert best.score.tolist() == [85.0, float("-inf")]
    assert [looks.candidate.at(row) if row >= 0 else None for row in best.row.tolist()] == ["bo", None]


@pytest.mark.parametrize(("score", "count"), [(80.0, 1), (79.9999999999, 0)])
def test_a_score_at_the_threshold_matches_and_one_just_below_does_not(score: float, count: int) -> None:
    assert len(subject(seen([0.0], score=score), CREW).events()) == count


def test_a_list_has_its_own_threshold_or_that_of_the_dial() -> None:
    rows: list[Row] = [(0.0, "p", [("ada", 70.0), ("cy", 70.0)])]
    lists = [("crew", 60.0, ["ada"]), ("barred", None, ["cy"])]
    assert raised(subject(rows, lists, threshold=71.0)) == [(0.0, "ada", "crew", 70.0)]
    assert {list_ for _, _, list_, _ in raised(subject(rows, lists, threshold=70.0))} == {"crew", "barred"}


@pytest.mark.parametrize(("last", "raises"), [(10.0, [10.0]), (10.1, [])])
def test_so_many_looks_within_the_time_both_ends_counted(last: float, raises: list[float]) -> None:
    found = subject(seen([0.0, last]), CREW, min_looks=2, looks_within_s=10.0)
    assert [event.raised_s for event in found.events()] == raises


def test_looks_count_since_the_last_raise_those_that_were_held_off_too() -> None:
    # raise at 1 (0 and 1); 100 is the first since then, 101 the second; with one held off at 5 within the time, 6 has two
    times = seen([0.0, 1.0, 100.0, 101.0])
    dials = {"min_looks": 2, "looks_within_s": 10.0, "holdoff_s": 4.0}
    assert [event.raised_s for event in subject(times, CREW, **dials).events()] == [1.0, 101.0]
    held = seen([0.0, 1.0, 4.0, 9.0])  # 4 is held off and counts; at 9, 5 s after it, the hold-off is over
    assert [event.raised_s for event in subject(held, CREW, **dials).events()] == [1.0, 9.0]


def test_who_stays_in_view_is_held_off_and_raises_again_once_out_of_sight_for_long_enough() -> None:
    times = [0.0, 50.0, 100.0, 150.0, 210.0, 269.0]  # 60 s after 150 it is over; 210 raises, 269 is held off again
    assert [event.raised_s for event in subject(seen(times), CREW, holdoff_s=60.0).events()] == [0.0, 210.0]


def test_a_hold_off_ends_by_re_announcing_and_is_not_extended_after_its_end() -> None:
    times = [0.0, 50.0, 100.0, 150.0]
    assert [e.raised_s for e in subject(seen(times), CREW, holdoff_s=60.0, reannounce_s=100.0).events()] == [0.0, 100.0]
    # with two looks needed within 20 s, 100 ends the hold-off and is not due; 110 is the second, and raises
    twice = seen([0.0, 1.0, 50.0, 101.0, 110.0])
    found = subject(twice, CREW, holdoff_s=60.0, reannounce_s=100.0, min_looks=2, looks_within_s=20.0)
    assert [event.raised_s for event in found.events()] == [1.0, 110.0]


def test_another_list_and_another_candidate_are_not_held_off() -> None:
    rows: list[Row] = [(0.0, "p", [("ada", 90.0)]), (1.0, "q", [("bo", 90.0)]), (2.0, "r", [("ada", 95.0)])]
    lists = [("crew", None, ["ada", "bo"]), ("night", 93.0, ["ada"])]
    assert raised(subject(rows, lists)) == [
        (0.0, "ada", "crew", 90.0),
        (1.0, "bo", "crew", 90.0),
        (2.0, "ada", "night", 95.0),
    ]


def test_unlisted_is_below_every_threshold_and_raises_once_in_the_re_arm_time() -> None:
    rows: list[Row] = [
        (0.0, "a", [("ada", 60.0), ("zoe", 99.0)]),  # rows of no list do not matter
        (5.0, "b", [("zoe", 50.0)]),  # no row of the list: it passes; dropped, 5 s after the last
        (10.0, "c", [("ada", 79.0)]),
        (30.0, "d", [("bo", 80.0)]),  # at the threshold it is on the list
    ]
    found = subject(rows, CREW, when="unlisted", rearm_s=10.0)
    assert raised(found) == [(0.0, "a", None, 99.0), (10.0, "c", None, 79.0)]
    assert all(event.cleared_s == event.raised_s and event.cleared_by == "reading" for event in found.events())


def test_every_look_that_did_not_raise_says_why() -> None:
    rows: list[Row] = [
        (0.0, "a", [("ada", 90.0)]),
        (1.0, "b", [("ada", 91.0)]),
        (2.0, "c", [("bo", 71.5)]),
        (3.0, "d", [("zoe", 99.0)]),
    ]
    said = {probe: reason for _, probe, reason in subject(rows, CREW).refusals()}
    assert [said[probe].code for probe in ("b", "c", "d")] == ["held_off", "below", "no_candidate"]
    assert "the threshold is 80, 8.5 more" in said["c"].text
    mark = Mark(1.5, 3.5, "expect")
    assert subject(rows, CREW).why_silent(mark).text.startswith("Look c: Nearest on crew is bo with 71.5")


def test_a_detector_refuses_regions_two_lists_of_one_name_and_a_member_twice() -> None:
    plain = {"format": "lantern-detector/1", "name": "d", "kind": "face"}
    box = [{"name": "r", "shape": "box", "points": [[0, 0], [1, 1]]}]
    member = [{"name": "crew", "members": ["ada", "ada"]}]
    for wrong in ({"regions": box}, {"lists": [{"name": "a"}, {"name": "a"}]}, {"lists": member}):
        with pytest.raises(Refused):
            detector_of(plain | wrong)


def test_a_list_that_is_only_named_has_its_members_nowhere() -> None:
    named = detector([]).model_copy(update={"lists": ("crew",)})
    with pytest.raises(Refused, match="only named"):
        judge(named, "faces", looks_of(seen([0.0])))
    filled = FACE.lists.filled(named, {"crew": {"name": "crew", "members": ["ada"]}})
    assert judge(filled, "faces", looks_of(seen([0.0]))).result([]).false_alarms == 1  # type: ignore[attr-defined] # counts


def test_members_nobody_was_compared_with_are_a_caution() -> None:
    assert any("compared with bo" in said for said in subject(seen([0.0]), CREW).cautions())


def test_a_mask_that_must_be_worn_and_the_reverse() -> None:
    rows = seen([0.0, 5.0, 30.0, 60.0])
    masks = {"mask": Column.of(["none", "none", "worn", ""])}
    for when, times in (("mask_off", [0.0]), ("mask_on", [30.0])):
        found = judge_face(detector(CREW, when=when, rearm_s=10.0), FACE, looks_of(rows, groups=masks))
        assert [(event.raised_s, event.own["list"]) for event in found.events()] == [(t, None) for t in times]
        assert found.cautions() == []
    said = {probe: reason.text for _, probe, reason in found.refusals()}
    assert said["p0"] == "The device says of its mask: none."
    bare = judge_face(detector(CREW, when="mask_off"), FACE, looks_of(rows))
    assert "no column mask" in bare.cautions()[0]
    assert not bare.matters("threshold")


def test_who_comes_when_as_bars_from_a_raise_until_there_may_be_another() -> None:
    found = subject(seen([0.0, 50.0, 300.0]), CREW, holdoff_s=60.0)
    assert pauses(found, 0) == [("ada", 0.0, 110.0, 1), ("ada", 300.0, 360.0, 0)]
    again = subject(seen([0.0, 50.0, 100.0]), CREW, holdoff_s=60.0, reannounce_s=90.0)
    assert pauses(again, 0) == [("ada", 0.0, 90.0, 1), ("ada", 100.0, 160.0, 0)]


def test_re_announcing_after_a_few_seconds() -> None:
    found = subject(seen([0.0, 3.0, 6.0, 9.0]), CREW, holdoff_s=60.0, reannounce_s=5.0)
    assert [event.raised_s for event in found.events()] == [0.0, 6.0]
