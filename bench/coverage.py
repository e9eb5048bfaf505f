"""Coverage at size: forty cameras among two hundred walls; one camera dragged, one wall dragged, against a plain ray to each cell."""

from __future__ import annotations

import time
from collections.abc import Iterator

import numpy as np
import shapely

from bench.figures import Figure, seconds, sized
from lantern.core.optics import coverage
from lantern.core.optics.coverage import Wall, covered
from lantern.core.optics.mount import Mount, View

CAMERAS, WALLS, SIDE_M, CELL_M = sized(40, 3), sized(200, 20), 400.0, sized(2.0, 20.0)
TRIED = sized(3, 1)  # cameras that are done cell by cell, to say what all of them would take


def a_site() -> tuple[list[Mount], list[Wall]]:
    """Cameras and walls anywhere on a square of 400 m."""
    rng = np.random.default_rng(3)
    cameras = [
        Mount(
            x_m=float(x), y_m=float(y), height_m=float(h), azimuth_deg=float(a), tilt_deg=float(t), focal_mm=float(f),
            sensor_width_mm=5.37, pixels=(1920, 1080),
        )
        for x, y, h, a, t, f in zip(
            *rng.uniform(0, SIDE_M, (2, CAMERAS)), rng.uniform(3, 8, CAMERAS), rng.uniform(0, 360, CAMERAS),
            rng.uniform(8, 30, CAMERAS), rng.uniform(3, 9, CAMERAS), strict=True,
        )
    ]  # fmt: skip
    walls = []
    for x, y in rng.uniform(0, SIDE_M, (WALLS, 2)):
        width, depth = rng.uniform(2, 20, 2)
        corners = ((x, y), (x + width, y), (x + width, y + depth), (x, y + depth))
        walls.append(Wall(tuple((float(a), float(b)) for a, b in corners), float(rng.uniform(2, 9)), closed=True))
    return cameras, walls


def by_cells(camera: Mount, walls: list[Wall]) -> int:
    """The plain way: to each cell that is in the picture a ray, which no wall must cut above its height."""
    view, seen = View(camera), 0
    segments = [(segment, wall.height_m) for wall in walls for segment in wall.segments]
    for x in np.arange(0, SIDE_M, CELL_M):
        for y in np.arange(0, SIDE_M, CELL_M):
            at = np.array([x, y, 0.0])
            if not view.inside(view.pixels(at)) or float(view.across_px_per_m(at)) < 12.5:
                continue
            seen += not any(_cuts(camera, x, y, segment, high) for segment, high in segments)
    return seen


def _cuts(camera: Mount, x: float, y: float, segment: np.ndarray, high_m: float) -> bool:
    (ax, ay), (bx, by) = segment
    dx, dy, ex, ey = x - camera.x_m, y - camera.y_m, bx - ax, by - ay
    cross = dx * ey - dy * ex
    if cross == 0:
        return False
    share = ((ax - camera.x_m) * ey - (ay - camera.y_m) * ex) / cross
    along = ((ax - camera.x_m) * dy - (ay - camera.y_m) * dx) / cross
    return 0 < share < 1 and 0 <= along <= 1 and camera.height_m * (1 - share) < high_m


def run() -> Iterator[Figure]:
    cameras, walls = a_site()
    whole = seconds(lambda: _afresh(cameras, walls))
    yield Figure(f"{CAMERAS} cameras among {WALLS} buildings", whole * 1000, "ms")
    each = [seconds(lambda camera=camera: _afresh([camera], walls)) for camera in cameras]
    yield Figure("one camera dragged: the slowest of them", max(each) * 1000, "ms", 30)
    reached = max(([c for c in cameras if _reaches(c, wall)] for wall in walls[:60]), key=len)
    ours = seconds(lambda: _afresh(reached, walls))
    yield Figure(f"the wall in most fields dragged: {len(reached)} cameras", ours * 1000, "ms", 100)
    began = time.perf_counter()
    for camera in cameras[:TRIED]:
        by_cells(camera, walls)
    plain = (time.perf_counter() - began) / TRIED * CAMERAS
    yield Figure(f"ratio to a ray to each cell of {CELL_M:g} m (from some of them)", whole / plain, "x")


def _afresh(cameras: list[Mount], walls: list[Wall]) -> None:
    """Without what was worked out before."""
    coverage._among.cache_clear()
    coverage._reach.cache_clear()
    for camera in cameras:
        covered(camera, walls, 0.0)


def _reaches(camera: Mount, wall: Wall) -> bool:
    field = covered(camera, [], 0.0).field
    hull = shapely.union_all([field, shapely.Point(camera.x_m, camera.y_m)]).convex_hull
    return bool(shapely.intersects(hull, shapely.Polygon(wall.points)))
