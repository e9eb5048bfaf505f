"""What a camera covers on the plan, as exact polygons: its field at a height, less the shadows of what stands in the way.

A wall between two points throws, for a camera at height h and a target at height z, the shadow of a trapezoid: from the wall to
the wall seen from the camera at (h - z) / (h - H) times its distance (without end where the wall is as high as the camera).
Contours of pixels per metre are lines across the axis, for they go by depth. Textbook geometry, without a source.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from lantern.core.optics.mount import Floats, Mount, View

BEYOND = 1e4  # a shadow without end, as a multiple of its wall's distance
LEAST_PX_PER_M = 12.5  # what lies beyond is no coverage; the lowest grade of IEC 62676-4:2014, from memory
NEAR = 1e-9
KEPT = 2048  # coverages that were worked out; some hundred devices with what was tried of late


@dataclass(frozen=True)
class Wall:
    """Something that hides: corners on the plan, from the ground up to a height."""

    points: tuple[tuple[float, float], ...]
    height_m: float
    closed: bool = False  # a building: its last corner is joined to its first

    @cached_property
    def stands(self) -> BaseGeometry:
        """Return where it stands on the plan: a line, or what a closed one covers."""
        return shapely.Polygon(self.points) if self.closed else shapely.LineString(self.points)

    @cached_property
    def segments(self) -> Floats:
        """Pairs of corners, shape (n, 2, 2)."""
        corners = np.array(self.points + ((self.points[0],) if self.closed else ()), dtype=float)
        return np.stack([corners[:-1], corners[1:]], axis=1)


@dataclass(frozen=True)
class Covered:
    """The ground that one camera covers at one height: `field` what it would see without walls, `seen` what it does,
    `shadow` the rest.
    """

    field: BaseGeometry
    seen: BaseGeometry
    shadow: BaseGeometry


def field_of(mount: Mount, height_m: float, *, least_px_per_m: float = LEAST_PX_PER_M) -> BaseGeometry:
    """Return what lies in the picture at a height above the ground, as far as so many px/m: a convex polygon, empty
    where none is.
    """
    view = View(mount)
    right, down, ahead = view.axes
    half_w, half_h = (side / (2 * mount.f_px) for side in mount.pixels)
    far_m = mount.f_px / least_px_per_m
    # each as n . (P - eye) >= least
    planes = [
        (half_w * ahead - right, 0.0),
        (half_w * ahead + right, 0.0),
        (half_h * ahead - down, 0.0),
        (half_h * ahead + down, 0.0),
        (ahead, NEAR),
        (-ahead, -far_m),
    ]
    reach_m = 2 * far_m + 10
    seen = _around(view.eye[:2], reach_m)
    for normal, least in planes:
        beyond = least + normal[:2] @ view.eye[:2] - normal[2] * (height_m - mount.height_m)
        seen = shapely.intersection(seen, _half_plane(normal[:2], beyond, view.eye[:2], 2 * reach_m))
    return seen if isinstance(seen, shapely.Polygon) else shapely.Polygon()


def _half_plane(normal: Floats, least: float, near: Floats, reach_m: float) -> BaseGeometry:
    """The points with normal . P >= least, of those within `reach_m` of the one `near` (and some beyond)."""
    length = float(np.linalg.norm(normal))
    away_m = float(least - normal @ near) / length if length > NEAR else math.copysign(math.inf, least)
    if abs(away_m) >= reach_m:
        return shapely.Polygon() if away_m > 0 else _around(near, 2 * reach_m)
    ahead = normal / length * reach_m
    along, foot = np.array([ahead[1], -ahead[0]]), near + normal / length * away_m
    return shapely.Polygon([foot - along, foot + along, foot + along + 2 * ahead, foot - along + 2 * ahead])


def _around(middle: Floats, reach_m: float) -> BaseGeometry:
    """A square that holds all within that distance."""
    return shapely.box(*(middle - reach_m), *(middle + reach_m))


def shadows(eye: Floats, segments: Floats, heights_m: Floats, target_m: float) -> list[BaseGeometry]:
    """The shadows of walls' segments, shape (n, 2, 2) with heights (n,), for targets at `target_m`; of those that throw one."""
    h = eye[2]
    away = segments - eye[:2]
    edge_on = np.abs(away[:, 0, 0] * away[:, 1, 1] - away[:, 0, 1] * away[:, 1, 0]) < NEAR  # hides nothing
    throws = (heights_m > target_m + NEAR) & ~edge_on
    below = np.where(heights_m < h - NEAR, h - heights_m, np.nan)
    factor = np.where(np.isnan(below), BEYOND, np.minimum((h - target_m) / below, BEYOND))[:, None, None]
    far = eye[:2] + away * factor
    corners = np.stack([segments[:, 0], segments[:, 1], far[:, 1], far[:, 0]], axis=1)[throws]
    made: list[BaseGeometry] = np.asarray(shapely.polygons(corners)).ravel().tolist()
    return made


def covered(mount: Mount, walls: Sequence[Wall], height_m: float, *, least_px_per_m: float = LEAST_PX_PER_M) -> Covered:
    """Return what a camera sees of targets at a height above the ground, among walls. What was worked out for the same
    camera and the same walls before it is kept, so that a wall that is dragged costs those cameras alone that it is
    near.
    """
    field, reach = _reach(mount, height_m, least_px_per_m)
    if field.is_empty:
        return Covered(field, field, field)
    # the camera's own place is in its reach, so that the building that it hangs in is met too
    meet = shapely.intersects(reach, np.array([wall.stands for wall in walls], dtype=object))
    near = tuple(walls[n] for n in np.flatnonzero(meet).tolist())
    return _among(mount, near, height_m, least_px_per_m)


@lru_cache(maxsize=KEPT)
def _reach(mount: Mount, height_m: float, least_px_per_m: float) -> tuple[BaseGeometry, BaseGeometry]:
    """The field, and all between it and the camera."""
    field = field_of(mount, height_m, least_px_per_m=least_px_per_m)
    reach = shapely.union_all([field, shapely.Point(mount.x_m, mount.y_m)]).convex_hull
    shapely.prepare(reach)
    return field, reach


@lru_cache(maxsize=KEPT)
def _among(mount: Mount, near: tuple[Wall, ...], height_m: float, least_px_per_m: float) -> Covered:
    field, _ = _reach(mount, height_m, least_px_per_m)
    return among(View(mount).eye, near, height_m, field)


def among(eye: Floats, near: Sequence[Wall], height_m: float, field: BaseGeometry) -> Covered:
    """Return what is seen of a field at a height from an eye (x, y, z), among walls."""
    found: list[BaseGeometry] = []
    if near:
        segments = np.concatenate([wall.segments for wall in near])
        heights = np.repeat([wall.height_m for wall in near], [len(wall.segments) for wall in near])
        found = shadows(eye, segments, heights, height_m)
        # nobody stands inside, but for a camera that hangs inside itself: it sees that far
        solid = [wall for wall in near if wall.closed and wall.height_m > height_m and not _inside(wall, eye)]
        found += [shapely.Polygon(wall.points) for wall in solid]
    thrown = shapely.union_all(found) if found else shapely.Polygon()
    # the shadows themselves are taken off, not their part in the field, whose rounded edge would leave slivers
    return Covered(field, shapely.difference(field, thrown), shapely.intersection(field, thrown))


def _over(wall: Wall, eye: Floats) -> bool:
    return bool(shapely.contains_xy(wall.stands, eye[0], eye[1]))


def _inside(wall: Wall, eye: Floats) -> bool:
    return bool(eye[2] < wall.height_m) and _over(wall, eye)


def crossed(eye: Floats, ways: Floats, segments: Floats) -> tuple[Floats, NDArray[np.bool_]]:
    """Return where ways from a point on the plan cross walls' segments, shape (..., 2, 2) against ways (..., 2): at
    which share of the way, and whether that lies ahead and on the segment; both of the common shape.
    """
    to, along = segments[..., 0, :] - eye, segments[..., 1, :] - segments[..., 0, :]
    cross = ways[..., 0] * along[..., 1] - ways[..., 1] * along[..., 0]
    with np.errstate(divide="ignore", invalid="ignore"):
        share = (to[..., 0] * along[..., 1] - to[..., 1] * along[..., 0]) / cross
        at = (to[..., 0] * ways[..., 1] - to[..., 1] * ways[..., 0]) / cross
    return share, (np.abs(cross) > NEAR) & (share > NEAR) & (at >= 0) & (at <= 1)


def hiding(walls: Sequence[Wall], eye: Floats, point: Floats) -> Wall | None:
    """A wall that stands between a camera and a point, both of shape (3,), or the building that the point is in and the camera is
    not; None: nothing hides it.
    """
    if not walls:
        return None
    counts = [len(wall.segments) for wall in walls]
    tops = np.repeat([wall.height_m for wall in walls], counts)
    share, hit = crossed(eye[:2], (point - eye)[:2], np.concatenate([wall.segments for wall in walls]))
    sight_m = eye[2] + np.where(hit, share, 0.0) * (point[2] - eye[2])
    cut = np.flatnonzero(hit & (share < 1 - NEAR) & (sight_m < tops - NEAR))
    if cut.size:
        return walls[int(np.repeat(np.arange(len(walls)), counts)[cut[0]])]
    houses = (wall for wall in walls if wall.closed and point[2] < wall.height_m - NEAR)
    return next((wall for wall in houses if _over(wall, point) and not _inside(wall, eye)), None)


def banded(mount: Mount, area: BaseGeometry, height_m: float, levels_px_per_m: Sequence[float]) -> list[BaseGeometry]:
    """The parts of an area with at least each of these px/m and less than the next, the levels rising; one more: beyond all of them
    the densest.
    """
    view = View(mount)
    out = []
    for least, most in zip(levels_px_per_m, [*levels_px_per_m[1:], None], strict=True):
        near_m = 0.0 if most is None else mount.f_px / most
        out.append(_between(view, area, height_m, near_m, mount.f_px / least))
    return out


def _between(view: View, area: BaseGeometry, height_m: float, near_m: float, far_m: float) -> BaseGeometry:
    """The part of an area at a height whose depth lies between two."""
    if area.is_empty:
        return area
    ahead, rise = view.axes[2], height_m - view.mount.height_m
    base = ahead[:2] @ view.eye[:2] - ahead[2] * rise
    x0, y0, x1, y1 = area.bounds
    eye = view.eye[:2]
    reach_m = float(np.linalg.norm(np.maximum(np.abs([x0, y0] - eye), np.abs([x1, y1] - eye)))) + 1
    farther = shapely.intersection(area, _half_plane(ahead[:2], near_m + base, eye, reach_m))
    return shapely.intersection(farther, _half_plane(-ahead[:2], -(far_m + base), eye, reach_m))


def contour(mount: Mount, height_m: float, px_per_m: float, area: BaseGeometry) -> BaseGeometry:
    """The line of so many px/m at a height, as far as it lies in an area."""
    view = View(mount)
    ahead, rise = view.axes[2], height_m - mount.height_m
    level = ahead[:2]
    length = float(np.linalg.norm(level))
    if length < NEAR or area.is_empty:
        return shapely.LineString()
    depth = mount.f_px / px_per_m
    foot = view.eye[:2] + level / length**2 * (depth - ahead[2] * rise)
    along = np.array([level[1], -level[0]]) / length * 1e4
    return shapely.intersection(shapely.LineString([foot - along, foot + along]), area)


def weakest(mount: Mount, zone: BaseGeometry, height_m: float) -> tuple[float, tuple[float, float]] | None:
    """The least px/m in a zone at a height, and where: at its corner of the greatest depth. None where the zone is empty."""
    if zone.is_empty:
        return None
    corners = shapely.get_coordinates(zone)
    points = np.column_stack([corners, np.full(len(corners), height_m)])
    density = View(mount).across_px_per_m(points)
    if np.isnan(density).any():
        return 0.0, tuple(float(v) for v in corners[int(np.argmax(np.isnan(density)))])  # type: ignore[return-value] # two
    at = int(np.argmin(density))
    return float(density[at]), (float(corners[at, 0]), float(corners[at, 1]))


def overlap(areas: Sequence[BaseGeometry]) -> BaseGeometry:
    """Return what at least two of these areas have in common."""
    tree = shapely.STRtree(areas)
    first, second = tree.query(areas, predicate="intersects")
    pairs = [
        shapely.intersection(areas[a], areas[b]) for a, b in zip(first.tolist(), second.tolist(), strict=True) if a < b
    ]
    return shapely.union_all(pairs) if pairs else shapely.Polygon()
