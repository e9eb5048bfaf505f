"""Masks on the sphere: where they lie in a picture, what is cut off behind it, what they hide while the head moves."""

from __future__ import annotations

import math

import cv2
import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from checks import check
from lantern.core.optics.mount import View
from lantern.core.ptz.head import Head
from lantern.core.ptz.masks import Hides, Mask, corners_px, grown_px, hidden, polygons, share, turned_within
from lantern.core.ptz.sketch import view_of_aim
from lantern.core.watch import Aim

HEAD = Head(x_m=3.0, y_m=4.0, height_m=9.0, speed_deg_s=100, acceleration_deg_s2=200, fov_wide_deg=30, zoom_max=30)
FRAME = (1920, 1080)
WINDOW = ((40.0, 2.0), (44.0, 2.0), (44.0, 5.0), (40.0, 5.0))


def looking(pan: float, tilt: float, zoom: float = 1.0) -> View:
    return view_of_aim(HEAD, Aim(pan, tilt, zoom), FRAME)


def mask(*points: tuple[float, float], **more: float) -> Mask:
    return Mask(name="a window", points=points, **more)


def test_a_corner_lies_where_the_formula_has_it() -> None:
    given_, expected = check("H14")
    tangent = math.tan(math.radians(HEAD.fov_wide_deg) / 2)
    zoom = given_["f_px"] * tangent / (FRAME[1] / 2)
    view = looking(*given_["ptz_deg"], zoom)
    assert view.mount.f_px == pytest.approx(5000)
    pan, tilt = given_["vertex_deg"]
    found = corners_px(mask((pan, tilt), (pan + 1, tilt), (pan, tilt + 1)), view)
    assert found[0].tolist() == expected


def test_it_grows_while_the_head_turns() -> None:
    given_, expected = check("H15")
    assert grown_px(given_["f_px"], given_["w_deg_s"] * given_["L_s"]) == expected


def test_what_it_turns_within_a_latency_is_what_its_own_limits_let_it() -> None:
    assert turned_within(HEAD, 0.0, 0.1) == pytest.approx(1.0)  # 200 deg/s² for 0.1 s: a t² / 2, by hand
    assert turned_within(HEAD, 20.0, 0.1) == pytest.approx(3.0)
    assert turned_within(HEAD, 99.0, 0.2) == pytest.approx(20.0)  # never faster than it can


def test_corners_lie_where_opencv_projects_them() -> None:
    """`cv2.projectPoints`, at 200 views that have the mask before them."""
    rng = np.random.default_rng(5)
    held = mask(*WINDOW)
    for _ in range(200):
        view = looking(42 + rng.uniform(-50, 50), rng.uniform(-30, 50), rng.uniform(1, 20))
        f = view.mount.f_px
        matrix = np.array([[f, 0, FRAME[0] / 2], [0, f, FRAME[1] / 2], [0, 0, 1.0]])
        turn, _ = cv2.Rodrigues(view.axes)
        expected, _ = cv2.projectPoints(held.vectors, turn, np.zeros(3), matrix, None)
        assert corners_px(held, view) == pytest.approx(expected[:, 0], rel=1e-6, abs=1e-3)


@settings(max_examples=60, deadline=None)
@given(
    pan=st.floats(0, 360),
    tilt=st.floats(-60, 90),
    zoom=st.floats(1, 8),
    around=st.tuples(st.floats(0, 360), st.floats(-40, 80)),
    size=st.floats(2, 40),
)
def test_a_pixel_is_hidden_if_its_ray_lies_within_the_corners(
    pan: float, tilt: float, zoom: float, around: tuple[float, float], size: float
) -> None:
    """A plain reading: a convex polygon of great circles hides a ray that lies on the inner side of each of its edges."""
    middle = np.array(corner_vector(*around))
    level = np.array([0, 0, 1.0]) if abs(middle[2]) < 0.9 else np.array([1.0, 0, 0])
    right = np.cross(middle, level) / np.linalg.norm(np.cross(middle, level))
    up = np.cross(right, middle)
    spread = math.tan(math.radians(size))
    corners = [middle + spread * (right * math.cos(a) + up * math.sin(a)) for a in (0.2, 1.7, 3.0, 4.4)]
    held = mask(*(direction(each) for each in corners))
    view = looking(pan, tilt, zoom)
    area = hidden(held, [view])
    rng = np.random.default_rng(1)
    for pixel in rng.uniform((0, 0), FRAME, (40, 2)):
        ray = view.rays(pixel)
        sides = [float(np.dot(np.cross(a, b), ray)) for a, b in zip(corners, corners[1:] + corners[:1], strict=True)]
        within = all(side > 0 for side in sides) or all(side < 0 for side in sides)
        within = within and float(ray @ middle) > 0
        if min(map(abs, sides)) > 1e-4:  # not on an edge
            assert area.covers(shapely.Point(pixel)) == within
        pan_deg, tilt_deg = direction(ray)
        if min(map(abs, sides)) > 1e-4:
            assert held.covers(pan_deg, tilt_deg) == within


def corner_vector(pan: float, tilt: float) -> tuple[float, float, float]:
    p, t = math.radians(pan), math.radians(tilt)
    return math.sin(p) * math.cos(t), math.cos(p) * math.cos(t), -math.sin(t)


def direction(vector: np.ndarray) -> tuple[float, float]:
    x, y, z = (vector / np.linalg.norm(vector)).tolist()
    return math.degrees(math.atan2(x, y)) % 360, -math.degrees(math.asin(max(-1.0, min(1.0, z))))


def test_what_lies_behind_is_cut_off_and_not_mirrored() -> None:
    held = mask(*WINDOW)
    assert len(corners_px(held, looking(42 + 180, -3.5))) == 0
    assert polygons(hidden(held, [looking(42 + 180, -3.5)])) == []
    wide = mask((20.0, -10.0), (160.0, -10.0), (160.0, 30.0), (20.0, 30.0))
    area = hidden(wide, [looking(300.0, 5.0)])  # some of it lies behind the eye, all of it outside of the picture
    assert area.is_empty
    half = hidden(wide, [looking(20.0, 5.0)])  # its left edge in the middle, its right one behind the eye
    assert half.covers(shapely.Point(1500, 540))
    assert not half.covers(shapely.Point(400, 540))
    assert share([half], looking(20.0, 5.0)) == pytest.approx(0.5, abs=0.02)


def test_it_hides_all_between_where_the_head_looked_before_and_after() -> None:
    held = mask(*WINDOW)
    before, after = looking(36.0, 3.5), looking(48.0, 3.5)
    moved = hidden(held, [before, after])
    middle = hidden(held, [looking(42.0, 3.5)])
    assert moved.covers(middle.buffer(-1))
    assert hidden(held, [before], grown=50).area > hidden(held, [before]).area


def test_one_without_a_zoom_hides_always() -> None:
    assert len(Hides().now([mask(*WINDOW)], 1 - 1e-9)) == 1  # a measured zoom is not 1 to the last digit


def test_from_its_zoom_on_it_hides_and_lets_go_a_little_later() -> None:
    held = mask(*WINDOW, from_zoom=4.0)
    state = Hides()
    wanted = [(1.0, 0), (3.9, 0), (4.0, 1), (3.7, 1), (3.61, 1), (3.5, 0), (3.9, 0), (None, 1), (3.7, 1)]
    assert [len(state.now([held], zoom)) for zoom, _ in wanted] == [count for _, count in wanted]


@pytest.mark.parametrize(
    ("points", "words"),
    [
        (((0, 0), (10, 10), (10, 0), (0, 10)), "edges cross"),
        (((0, 5), (0, 15), (0, 25)), "in a line"),
        (((0, 0), (120, 0), (240, 0)), "make two of it"),
        (((0, 0), (10, 0), (10, 95)), "tilts are"),
        (((0, 0), (10, 0)), "at least 3"),
    ],
)
def test_what_hides_nothing_sure_is_refused(points: tuple[tuple[float, float], ...], words: str) -> None:
    with pytest.raises(ValidationError, match=words):
        mask(*points)
