"""Sides, cuts and crossings: published values, shapely, a plain loop after the contract's words, and live against batch."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LineString, Point, box

from checks import check
from lantern.core.objects.lines import (
    Crossing,
    LineState,
    across,
    beside,
    crossings,
    cuts,
    distance,
    share_beyond,
    shares_beyond,
    step,
)
from lantern.core.signals import Floats

A, B = (10.0, 10.0), (30.0, 10.0)


def crossings_at(points, starts, a, b, band: float) -> list[Crossing]:
    return crossings(beside(points, starts, a, b), starts, band)


def walk(*y: float, x: float = 20.0) -> np.ndarray:
    return np.array([[x, v] for v in y], dtype=float)


def one(n: int) -> np.ndarray:
    return np.zeros(n, dtype=np.intp)


def test_the_side_as_published() -> None:
    inputs, expected = check("B01")
    got = distance(np.array([inputs["P"]], dtype=float), tuple(inputs["A"]), tuple(inputs["B"]))[0]
    assert got == expected
    # for a line drawn from left to right A is above and B below (contract)
    assert distance(walk(0, 20), A, B).tolist() == [-10, 10]


def test_where_two_segments_meet_as_published() -> None:
    inputs, expected = check("B02")
    t, u = expected.expected
    points = np.array([inputs["P"], inputs["Q"]], dtype=float)
    a, b = tuple(inputs["A"]), tuple(inputs["B"])
    assert cuts(points, one(2), a, b).tolist() == [False, True]
    meet = LineString([a, b]).intersection(LineString(points))
    assert (meet.x, meet.y) == pytest.approx((a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1])))
    assert (meet.x, meet.y) == pytest.approx((points[0] + u * (points[1] - points[0])).tolist())


def test_a_band_keeps_a_wobble_from_counting_as_published() -> None:
    inputs, expected = check("B03")
    s = np.array(inputs["s_px"], dtype=float)
    points = np.column_stack((np.full(s.size, 20.0), 10 + s))
    got = crossings_at(points, one(s.size), A, B, inputs["h_px"])
    assert [[c.at, 1 if c.direction == "a_to_b" else -1] for c in got] == expected
    _, naive = check("B04")
    assert len(crossings_at(points, one(s.size), A, B, 0)) == naive


def test_the_share_of_a_box_beyond_as_published() -> None:
    for name in ("B11", "B12"):
        inputs, expected = check(name)
        left, top, right, bottom = inputs["box_xyxy"]
        corners = np.array([left, top, right - left, bottom - top], dtype=float)
        got = share_beyond(corners, tuple(inputs["A"]), tuple(inputs["B"]), positive=True)
        assert got == expected
        other = share_beyond(corners, tuple(inputs["A"]), tuple(inputs["B"]), positive=False)
        assert got + other == pytest.approx(1)


@settings(max_examples=200, deadline=None)
@given(st.lists(st.integers(0, 40), min_size=8, max_size=8))
def test_shares_equal_shapely(v: list[int]) -> None:
    a, b = (float(v[0]), float(v[1])), (float(v[2]), float(v[3]))
    if a == b:
        return
    rectangle = np.array([v[4], v[5], v[6] + 1, v[7] + 1], dtype=float)
    along = np.array(b) - np.array(a)
    normal = np.array([-along[1], along[0]]) / np.hypot(*along) * 500  # towards s > 0
    far = along / np.hypot(*along) * 500
    corners = [np.array(a) - far, np.array(a) + far, np.array(a) + far + normal, np.array(a) - far + normal]
    half = LineString([*corners, corners[0]]).convex_hull
    left, top, width, height = rectangle
    expected = box(left, top, left + width, top + height).intersection(half).area / (width * height)
    assert share_beyond(rectangle, a, b, positive=True) == pytest.approx(expected, abs=1e-6)


points_on_a_grid = st.lists(st.tuples(st.integers(0, 8), st.integers(0, 8)), min_size=2, max_size=25)


@settings(max_examples=400, deadline=None)
@given(points_on_a_grid)
def test_cuts_equal_shapely(path: list[tuple[int, int]]) -> None:
    a, b = (2.0, 3.0), (6.0, 5.0)
    line = LineString([a, b])
    points = np.array(path, dtype=float)
    got = cuts(points, one(len(path)), a, b)
    for i in range(1, len(path)):
        move = Point(path[i]) if path[i] == path[i - 1] else LineString([path[i - 1], path[i]])
        # on this grid what does not touch stays further away than rounding reaches
        assert got[i] == (move.distance(line) < 1e-9), (path[i - 1], path[i])


def plainly(points: np.ndarray, a: tuple, b: tuple, band: float) -> list[Crossing]:
    """The contract's sentence, one sample after another."""
    s = distance(points, a, b)
    line, out, side, since = LineString([a, b]), [], 0, 0
    for i in range(len(points)):
        here = 1 if s[i] > band else -1 if s[i] < -band else 0
        if here == 0:
            continue
        if side and here != side:
            path = points[since : i + 1]
            if LineString(path).distance(line) < 1e-12:
                out.append(Crossing(i, "a_to_b" if here > 0 else "b_to_a"))
        side, since = here, i
    return out


@settings(max_examples=400, deadline=None)
@given(points_on_a_grid, st.sampled_from([0.0, 0.5, 1.5]))
def test_crossings_equal_the_contracts_words_and_live_equals_batch(path: list[tuple[int, int]], band: float) -> None:
    a, b = (2.0, 4.0), (6.0, 4.0)
    points = np.array(path, dtype=float)
    expected = plainly(points, a, b, band)
    assert crossings_at(points, one(len(path)), a, b, band) == expected
    state, live = LineState(), []
    for i, point in enumerate(path):
        state, crossed = step(state, (float(point[0]), float(point[1])), np.zeros(4), a, b, band)
        if crossed:
            live.append(Crossing(i, crossed))
    assert live == expected


def test_passing_beyond_an_end_changes_the_side_and_is_no_crossing() -> None:
    around = np.array([[20, 0], [40, 0], [40, 20], [20, 20], [20, 0]], dtype=float)
    got = crossings_at(around, one(5), A, B, 0)
    assert got == [Crossing(4, "b_to_a")]  # only the way back through the middle
    assert crossings_at(walk(0, 20, x=30.0), one(2), A, B, 0)  # its ends are included
    assert crossings_at(walk(0, 20, x=30.5), one(2), A, B, 0) == []


def test_a_new_stretch_begins_without_a_side() -> None:
    points = walk(0, 20, 0)
    assert [c.at for c in crossings_at(points, one(3), A, B, 0)] == [1, 2]
    assert crossings_at(points, np.array([0, 1, 1]), A, B, 0) == [Crossing(2, "b_to_a")]


def test_so_much_of_the_box_must_lie_beyond_while_it_is_still_there() -> None:
    feet = [8, 12, 14, 18, 24, 4]
    points = walk(*feet)
    boxes = np.array([[15, y - 10, 10, 10] for y in feet], dtype=float)  # the anchor is the foot
    [first, _] = crossings_at(points, one(6), A, B, 0)

    def reached(points: Floats, boxes: Floats, crossing: Crossing, percent: float) -> list[int | None]:
        starts = one(len(points))
        where = beside(points, starts, A, B)
        beyond = {to_b: shares_beyond(boxes[where.lively], A, B, positive=to_b) for to_b in (True, False)}
        return across(where, starts, [crossing], beyond, 0, percent)

    assert reached(points, boxes, first, 20) == [1]
    assert reached(points, boxes, first, 50) == [3]
    assert reached(points, boxes, first, 100) == [4]
    assert reached(walk(8, 12, 4), boxes[:3], Crossing(1, "a_to_b"), 100) == [None]
