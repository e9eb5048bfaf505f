"""What a head would have seen, as a line drawing: walls, the ground's lines and people, in the pixels of its picture."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np

from lantern.core.optics.mount import Mount, View
from lantern.core.ptz.head import Head
from lantern.core.signals import Floats
from lantern.core.watch import Aim

NEAR_M = 0.5  # what is nearer is left out, so that nothing behind the camera is drawn before it
GRID_M, GRID_REACH_M = 5.0, 120.0
EDGE_POINTS = 9  # of each edge of the picture, on the ground
SENSOR_MM = 6.4  # any: the field alone counts
WIDTH_M = 0.3  # of somebody, for each metre of height

Wall = tuple[Sequence[tuple[float, float]], float, bool]  # corners, height, closed


class Drawn(NamedTuple):
    """A polygon, or a line, of the picture; `away_m`: what is farther lies behind."""

    what: str
    points: list[tuple[float, float]]
    away_m: float
    name: str = ""


def view_of_aim(head: Head, aim: Aim, frame_px: tuple[int, int]) -> View:
    """Return how the head sees, looking so."""
    width, height = frame_px
    tangent = math.tan(math.radians(head.field_deg(max(aim.zoom, 1.0))) / 2) * width / height
    return View(
        Mount(
            x_m=head.x_m,
            y_m=head.y_m,
            height_m=head.height_m,
            azimuth_deg=aim.pan_deg,
            tilt_deg=aim.tilt_deg,
            focal_mm=SENSOR_MM / 2 / tangent,
            sensor_width_mm=SENSOR_MM,
            pixels=frame_px,
        )
    )


def sketched(view: View, walls: Sequence[Wall], people: Sequence[tuple[str, float, float, float]]) -> list[Drawn]:
    """Return all of it, what is farthest first. `people`: name, place, height."""
    parts = [*_grid(view), *_walls(view, walls)]
    for name, x, y, tall in people:
        foot = np.array([x, y, 0.0])
        depth = float(view.depth_m(foot))
        if depth > NEAR_M:
            (u, v), (_, top) = view.pixels(foot), view.pixels(foot + np.array([0.0, 0.0, tall]))
            half = view.mount.f_px * tall * WIDTH_M / depth / 2
            corners = [(u - half, v), (u + half, v), (u + half, top), (u - half, top)]
            parts.append(Drawn("person", [(float(a), float(b)) for a, b in corners], depth, name))
    return sorted(parts, key=lambda part: -part.away_m)


def _grid(view: View) -> Iterator[Drawn]:
    """Lines of the ground every 5 m about where it looks."""
    x, y = np.round(view.eye[:2] / GRID_M) * GRID_M
    steps = np.arange(-GRID_REACH_M, GRID_REACH_M + 1e-6, GRID_M)
    for step in steps.tolist():
        for line in (
            [(x + step, y - GRID_REACH_M, 0.0), (x + step, y + GRID_REACH_M, 0.0)],
            [(x - GRID_REACH_M, y + step, 0.0), (x + GRID_REACH_M, y + step, 0.0)],
        ):
            points = _before(view, np.array(line), closed=False)
            if len(points) > 1:
                yield Drawn("ground", _pixels(view, points), math.inf)


def _walls(view: View, walls: Sequence[Wall]) -> Iterator[Drawn]:
    for corners, tall, closed in walls:
        ends = [*corners[1:], corners[0]] if closed else list(corners[1:])
        for (x0, y0), (x1, y1) in zip(corners, ends, strict=False):
            face = np.array([(x0, y0, 0.0), (x1, y1, 0.0), (x1, y1, tall), (x0, y0, tall)])
            points = _before(view, face, closed=True)
            if len(points) > 2:
                yield Drawn("wall", _pixels(view, points), float(np.median(view.depth_m(points))))


def _before(view: View, points: Floats, *, closed: bool) -> Floats:
    """What of a polygon, or a line, lies before the camera: it is cut before anything is divided by a depth."""
    depth = view.depth_m(points)
    out: list[Floats] = []
    count = len(points)
    for at in range(count if closed else count - 1):
        one, other = points[at], points[(at + 1) % count]
        here, there = depth[at] - NEAR_M, depth[(at + 1) % count] - NEAR_M
        if here > 0:
            out.append(one)
        if here * there < 0:
            out.append(one + (other - one) * here / (here - there))
    if not closed and depth[-1] > NEAR_M:
        out.append(points[-1])
    return np.array(out).reshape(-1, 3)


def _pixels(view: View, points: Floats) -> list[tuple[float, float]]:
    return [(float(u), float(v)) for u, v in view.pixels(points)]


def wedge(head: Head, aim: Aim, frame_px: tuple[int, int]) -> list[list[float]]:
    """Return the ground that a head's picture shows, as a polygon of the plan, m; what lies farther than `GRID_REACH_M` is cut off."""
    view = view_of_aim(head, aim, frame_px)
    width, height = frame_px
    along = np.linspace(0, 1, EDGE_POINTS)
    bottom = np.column_stack((along * width, np.full(EDGE_POINTS, float(height))))
    top = np.column_stack((along[::-1] * width, np.zeros(EDGE_POINTS)))
    out = []
    for pixel in np.concatenate((bottom, top)):
        place, ray = view.ground(pixel), view.rays(pixel)[:2]
        away = np.hypot(*(place - view.eye[:2])) if np.isfinite(place).all() else np.inf
        if away > GRID_REACH_M:
            place = view.eye[:2] + ray / (np.hypot(*ray) or 1.0) * GRID_REACH_M
        out.append([round(float(place[0]), 2), round(float(place[1]), 2)])
    return out
