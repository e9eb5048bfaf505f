"""Coverage: shadows against the sight line itself cell by cell, fields against the projection, visibility against shapely's lines."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from lantern.core.optics.coverage import (
    Wall,
    banded,
    contour,
    covered,
    field_of,
    overlap,
    weakest,
)
from lantern.core.optics.mount import Mount, View

WALLS = [
    Wall(((5.0, 12.0), (9.0, 14.0)), 2.5),
    Wall(((-8.0, 20.0), (-2.0, 18.0)), 6.0),
    Wall(((-1.0, 9.0), (1.0, 9.0), (1.0, 11.0), (-1.0, 11.0)), 1.2, closed=True),
]


def mount(**changes: Any) -> Mount:
    base = {"x_m": 0, "y_m": 0, "height_m": 4, "azimuth_deg": 0, "tilt_deg": 15, "focal_mm": 4.0, "sensor_width_mm": 5.37,
            "pixels": (1280, 720)}  # fmt: skip
    return Mount.model_validate(base | changes)


def sees(held: Mount, walls: list[Wall], point: tuple[float, float], z: float) -> bool:
    """The plain way: is the point in the picture, dense enough, and does no wall stand as high as the sight line where it crosses?"""
    view = View(held)
    at = np.array([*point, z])
    if not bool(view.inside(view.pixels(at))) or float(view.across_px_per_m(at)) < 12.5:
        return False
    line = shapely.LineString([(held.x_m, held.y_m), point])
    for wall in walls:
        if wall.closed and wall.height_m > z and shapely.Polygon(wall.points).contains(shapely.Point(point)):
            return False
        for segment in wall.segments:
            cut = line.intersection(shapely.LineString(segment))
            if cut.is_empty:
                continue
            share = line.project(cut.centroid) / line.length
            if held.height_m + share * (z - held.height_m) < wall.height_m:
                return False
    return True


@pytest.mark.parametrize("z", [0.0, 0.5, 1.6, 3.0])
@pytest.mark.parametrize(
    "change", [{}, {"azimuth_deg": 20, "roll_deg": 8}, {"tilt_deg": 40, "height_m": 9}, {"tilt_deg": 3}]
)
def test_what_is_seen_is_what_the_sight_line_says_cell_by_cell(change: dict[str, Any], z: float) -> None:
    held = mount(**change)
    found = covered(held, WALLS, z)
    rng = np.random.default_rng(7)
    wrong = seen = 0
    for x, y in rng.uniform((-30, -5), (30, 60), (600, 2)):
        point = shapely.Point(x, y)
        if min(found.seen.boundary.distance(point), found.field.boundary.distance(point)) < 1e-3:
            continue
        expected = sees(held, WALLS, (float(x), float(y)), z)
        seen += expected
        wrong += expected != found.seen.contains(point)
    assert (wrong, seen > 20) == (0, True)


@given(st.floats(-180, 180), st.floats(0, 60), st.floats(-30, 30), st.floats(2, 12), st.floats(0, 1.9))
@settings(max_examples=60)
def test_a_fields_corners_lie_on_the_pictures_edge_or_at_its_end(
    azimuth: float, tilt: float, roll: float, focal: float, z: float
) -> None:
    held = mount(azimuth_deg=azimuth, tilt_deg=tilt, roll_deg=roll, focal_mm=focal)
    field = field_of(held, z)
    if field.is_empty:
        return
    view = View(held)
    corners = np.column_stack([shapely.get_coordinates(field), np.full(len(shapely.get_coordinates(field)), z)])
    u, v = view.pixels(corners).T
    density = view.across_px_per_m(corners)
    on_edge = (np.abs(u) < 1e-3) | (np.abs(u - 1280) < 1e-3) | (np.abs(v) < 1e-3) | (np.abs(v - 720) < 1e-3)
    assert (on_edge | (np.abs(density - 12.5) < 1e-6)).all()
    assert ((u > -1e-3) & (u < 1280.001) & (v > -1e-3) & (v < 720.001)).all()


def test_a_low_wall_hides_by_how_much_lower_it_is() -> None:
    """From 4 m a wall of 2 m at 10 m hides the ground up to 20 m, (4 - 0) / (4 - 2) times as far; a target of 1 m up to 15 m."""
    wall = [Wall(((-5.0, 10.0), (5.0, 10.0)), 2.0)]
    for z, far in ((0.0, 20.0), (1.0, 15.0)):
        shadow = covered(mount(tilt_deg=10), wall, z).shadow
        assert shadow.bounds[1] == pytest.approx(10)
        assert shadow.bounds[3] == pytest.approx(far)
    assert covered(mount(), wall, 2.0).shadow.is_empty  # who is as tall as the wall is seen over it


def test_a_wall_as_high_as_the_camera_hides_all_behind_it() -> None:
    found = covered(mount(tilt_deg=5), [Wall(((-50.0, 10.0), (50.0, 10.0)), 4.0)], 0.0)
    assert found.seen.bounds[3] == pytest.approx(10)


def test_bands_fill_the_area_and_go_by_depth() -> None:
    held = mount(azimuth_deg=30)
    area = covered(held, WALLS, 0.0).seen
    levels = [12.5, 25.0, 62.5, 125.0, 250.0]
    bands = banded(held, area, 0.0, levels)
    assert sum(band.area for band in bands) == pytest.approx(area.area, rel=1e-6)
    view = View(held)
    for band, least, most in zip(bands, levels, [*levels[1:], math.inf], strict=True):
        if band.is_empty:
            continue
        points = np.array([[p.x, p.y, 0.0] for part in shapely.get_parts(band) for p in [part.representative_point()]])
        density = view.across_px_per_m(points)
        assert ((density >= least - 1e-6) & (density <= most + 1e-6)).all()


def test_a_contour_is_straight_across_the_axis() -> None:
    """Depth, not range: all of it has the same px/m, though its ends are farther away."""
    held = mount(azimuth_deg=30)
    line = contour(held, 0.0, 62.5, field_of(held, 0.0))
    points = np.column_stack([shapely.get_coordinates(line), [0.0, 0.0]])
    assert View(held).across_px_per_m(points) == pytest.approx(62.5)
    ranges = View(held).range_m(np.vstack([points, points.mean(axis=0)]))
    assert ranges[0] > ranges[2]
    way = points[1, :2] - points[0, :2]
    assert float(way @ View(held).axes[2][:2]) == pytest.approx(0, abs=1e-6)


def test_the_weakest_place_of_a_zone_is_its_deepest_corner() -> None:
    zone = shapely.box(-2, 8, 2, 14)
    found = weakest(mount(azimuth_deg=10), zone, 0.0)
    assert found is not None
    density, at = found
    corners = np.array([[-2, 8, 0], [2, 8, 0], [2, 14, 0], [-2, 14, 0]], dtype=float)
    assert density == pytest.approx(float(View(mount(azimuth_deg=10)).across_px_per_m(corners).min()))
    assert at == (2.0, 14.0)
    assert weakest(mount(), shapely.Polygon(), 0.0) is None


def test_overlap_is_what_two_share() -> None:
    areas = [shapely.box(0, 0, 2, 2), shapely.box(1, 0, 3, 2), shapely.box(10, 0, 11, 1)]
    assert overlap(areas).area == pytest.approx(2.0)
    assert overlap(areas[:1]).is_empty
