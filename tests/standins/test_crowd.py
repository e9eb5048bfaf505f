"""Simulated scenes of people: seeded, true to their truth, and no better than a real tracker."""

from __future__ import annotations

import numpy as np
import pytest

from lantern.standins.crowd import Tracker, Walker, observe
from lantern.standins.places import CROWDS, OVERHEAD, YARD, YARD_CAMERA, overhead
from lantern.standins.tracker import ROUND, TrackerStandIn

PERFECT = Tracker(confirm=0, shake_px=0.0, misses=0.0, mistakes=0.0)


def test_a_walker_is_where_its_pace_puts_it() -> None:
    one = Walker(10.0, ((0.0, 0.0), (2.0, 0.0), (2.0, 3.0)), 1.0, pauses={1: 5.0})
    at = one.at(np.array([9.0, 11.0, 14.0, 18.0, 20.0, 21.0]))
    assert at.tolist()[1:5] == [[1, 0], [2, 0], [2, 1], [2, 3]]
    assert np.isnan(at[[0, 5]]).all()
    assert one.passes(0, 1.5) == [(11.5, "in")]
    assert one.passes(1, 1.5) == [(18.5, "in")]
    assert Walker(0, ((2, 0), (0, 0)), 1.0).passes(0, 1.0) == [(1.0, "out")]


def test_a_perfect_tracker_sees_what_is_there() -> None:
    held = observe(
        [Walker(0, ((1, 3), (7, 3)), 1.0, height_m=0.5)],
        overhead,
        length_s=6,
        fps=10,
        frame_px=OVERHEAD,
        tracker=PERFECT,
        seed=1,
    )
    assert held.ids == (1,)
    x = held.anchors("centre")[:, 0]
    assert x == pytest.approx(80 + 8.0 * np.arange(60), abs=0.11)


def test_a_tracker_takes_time_and_loses_whom_it_does_not_see() -> None:
    path = [Walker(0, ((1, 3), (7, 3)), 1.0, height_m=0.5)]
    slow = observe(
        path, overhead, length_s=6, fps=10, frame_px=OVERHEAD, tracker=Tracker(confirm=5, misses=0.0), seed=1
    )
    assert slow.t_s[0] == pytest.approx(0.5)
    blind = observe(
        path,
        overhead,
        length_s=6,
        fps=10,
        frame_px=OVERHEAD,
        tracker=Tracker(misses=0.9, confirm=0, forgets_s=0.3),
        seed=1,
    )
    assert len(blind.ids) > 1
    assert len(blind) < 15


def test_two_who_walk_as_one_hide_one_another() -> None:
    abreast = [Walker(0, ((1, 3 + d), (7, 3 + d)), 1.0, height_m=0.5) for d in (0.0, 0.1)]
    held = observe(abreast, overhead, length_s=6, fps=10, frame_px=OVERHEAD, tracker=Tracker(misses=0.0), seed=2)
    assert len(held) < 1.4 * 60


def test_the_yard_camera_agrees_with_the_ground_formula() -> None:
    """d(v) = h / tan(tilt + atan((v - cy) / f)) and f_px / Z (flat ground, no roll; textbook, checks A10 to A13 in other figures)."""
    left, top, width, height = YARD_CAMERA(2.0, 20.0, 0.6, 1.8)
    tilt, f, h = np.radians(18), 1050.0, 6.0
    d = h / np.tan(tilt + np.arctan((top + height - YARD[1] / 2) / f))
    assert d == pytest.approx(20.0)
    depth = 20 * np.cos(tilt) + h * np.sin(tilt)
    assert width == pytest.approx(0.6 * f / depth)
    assert left + width / 2 == pytest.approx(YARD[0] / 2 + 2.0 * f / depth)


@pytest.mark.parametrize("code", CROWDS)
def test_scenes_are_the_same_each_time_and_have_their_troubles(code: str) -> None:
    one, again = CROWDS[code](), CROWDS[code]()
    assert np.array_equal(one.tracks.box, again.tracks.box)
    assert one.passages == again.passages
    assert one.still is not None
    assert one.still.startswith(b"\x89PNG")
    assert len(one.marks) >= 15 or code == "V3"  # what V3 saw is held beside the radar's marks
    width, height = one.tracks.frame_px or (0, 0)
    left, top, w, h = one.tracks.box.T
    assert (left >= 0).all() and (top >= 0).all() and (w > 0).all() and (h > 0).all()
    assert (left + w <= width + 0.11).all() and (top + h <= height + 0.11).all()


def test_the_gangway_has_groups_bicycles_trolleys_and_a_rush() -> None:
    crowd = CROWDS["C1"]()
    assert set(crowd.tracks.classes) == {"person", "bicycle", "trolley"}
    times = np.array([t for t, _ in crowd.passages])
    rush = ((times > 300) & (times < 840)).sum() / 540
    assert rush > 3 * (times < 300).sum() / 300
    assert {way for _, way in crowd.passages} == {"in", "out"}


def test_overhead_counters_tell_how_tall_people_are() -> None:
    """A child is below 1.3 m, a grown-up seldom below 1.45 m (common practice, no source); the yard's camera cannot tell."""
    hall = CROWDS["C2"]().tracks
    assert hall.height_m is not None
    usual = np.array([np.median(hall.height_m[a:b]) for a, b in zip(hall.spans[:-1], hall.spans[1:], strict=True)])
    assert 0.05 < (usual < 1.3).mean() < 0.25
    assert not ((usual > 1.3) & (usual < 1.4)).any()
    deck = CROWDS["C1"]().tracks
    trolley = deck.label == deck.classes.index("trolley")
    assert deck.height_m is not None
    assert np.median(deck.height_m[trolley]) < 1.2 < np.median(deck.height_m[~trolley])
    assert CROWDS["V2"]().tracks.height_m is None


def test_a_stand_in_plays_frame_by_frame_and_numbers_anew() -> None:
    held = observe(
        [Walker(1, ((1, 3), (3, 3)), 1.0, height_m=0.5)],
        overhead,
        length_s=4,
        fps=10,
        frame_px=OVERHEAD,
        tracker=PERFECT,
        seed=1,
    )
    one = TrackerStandIn("C1", lambda: held)
    one.load()
    assert [len(one.seen(i)) for i in (0, 9, 10, 30, 31)] == [0, 0, 1, 1, 0]
    assert one.seen(20)[0].id == 1
    one.play(from_s=1.0, speed=4)
    assert one.seen(20)[0].id == 1 + ROUND
    for bad in ({"from_s": 100.0}, {"from_s": -1.0}, {"speed": 100.0}):
        with pytest.raises(ValueError, match=r"the take lasts|0\.1 to 32"):
            one.play(**bad)
