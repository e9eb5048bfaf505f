"""Room between a line and the picture's edge, and what a frame rate can follow."""

from __future__ import annotations

import numpy as np
import pytest

from builders import subject_of
from checks import check
from lantern.core.events import Detector
from lantern.core.objects.dials import CrossingDials
from lantern.core.objects.placement import edge_distance, largest_shift, least_fps, overlap, room
from lantern.core.objects.region import ObjectRegion
from lantern.core.tracks import Tracks, make_tracks


def walkers(speed_px_s: float = 150.0, fps: float = 12.5, size: float = 60.0) -> Tracks:
    """Ten who walk from left to right across 640 px, each a second after the other, 60 px long."""
    t = np.arange(0, 640 / speed_px_s, 1 / fps)
    t_s = np.concatenate([t + i for i in range(10)])
    left = np.tile(speed_px_s * t - size / 2, 10)
    box = np.column_stack((left, np.full(left.size, 200.0), np.full(left.size, size), np.full(left.size, size)))
    return make_tracks(t_s, np.repeat(np.arange(10), t.size), box, frame_px=(640, 480), fps=fps)


def upright(x: float) -> ObjectRegion:
    return ObjectRegion(name="line", shape="line", points=((x, 400), (x, 80)))  # A is on the left


def test_the_edge_rule_as_derived() -> None:
    given, expected = check("B05")
    found = edge_distance(
        given["a_trail_px"], given["v_px_s"], given["fps"], given["h_px"], frames=given["K"], start_s=given["t_init_s"]
    )
    assert found == expected


def test_overlap_and_frame_rate_as_published() -> None:
    given, expected = check("B06")
    assert overlap(given["q"]) == expected
    given, expected = check("B07")
    assert largest_shift(given["J"]) == expected
    given, expected = check("B08")
    assert least_fps(given["v_m_s"], given["width_m"]) == expected


def test_a_line_near_the_edge_is_flagged_with_both_figures() -> None:
    """The figures of the check: 30 px behind the anchor, 150 px/s, 12.5 frames a second, a band of 5 px: 71 px are needed."""
    dials = CrossingDials(anchor="centre", band=5.0)
    near, far = room(walkers(), upright(610), dials), room(walkers(), upright(320), dials)
    assert [side.side for side in near] == ["A", "B"]
    assert [side.enough for side in near] == [True, False]
    assert near[1].has_px == pytest.approx(30)
    assert near[1].needs_px == pytest.approx(71, abs=0.5)
    assert all(side.enough for side in far)
    detector = Detector(name="d", kind="crossing", regions=(upright(610),), dials={"anchor": "centre", "band": 5.0})
    [caution] = subject_of(detector, walkers()).cautions()
    assert "30 px away on side B" in caution
    assert "need 71 px" in caution


def test_faster_and_larger_objects_and_slower_cameras_need_more() -> None:
    dials = CrossingDials(anchor="centre", band=5.0)
    plain, fast, large, slow = (
        room(held, upright(320), dials)[0].needs_px
        for held in (walkers(), walkers(speed_px_s=300), walkers(size=120), walkers(fps=6.25))
    )
    assert fast - plain == pytest.approx(150 * 3 / 12.5, abs=1)
    assert large - plain == pytest.approx(30, abs=1)
    assert slow - plain == pytest.approx(150 * 3 / 12.5, abs=1)


def test_nothing_is_said_where_nothing_is_known() -> None:
    held = walkers()
    blind = make_tracks(held.t_s, held.object, held.box)
    assert room(blind, upright(320), CrossingDials()) == []
    few = held.only(held.object < 3)
    assert room(few, upright(320), CrossingDials()) == []
