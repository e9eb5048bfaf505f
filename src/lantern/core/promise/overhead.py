"""People who walk beneath or before a camera: what it covers of them, how much room a line needs, how many pictures a second."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from lantern.core.optics.coverage import field_of
from lantern.core.optics.mount import Mount, View

SHOULDER_M, HEAD_M = 1.45, 1.7  # common practice, no source
WALK_MPS = 1.4  # somebody in no hurry; common practice, no source
BODY_M = 0.5  # how long somebody is, seen from above; common practice, no source
CONFIRMED_FRAMES = 3
JITTER_PX = 5.0
LEAST_IOU = 0.3  # of one's boxes in two pictures that follow, to be taken for one; common practice, no source
MOST_SHIFT = (1 - LEAST_IOU) / (1 + LEAST_IOU)  # of its width between the two (B07)
DISPARITY_PX = 0.25  # to which two eyes match; common practice, no source
STRAIGHT_DOWN_DEG = 80.0


def footprint_m(mount: Mount, above_m: float) -> tuple[float, float] | None:
    """(across, along) of what is seen at a height above the floor; None: it is above the counter."""
    depth = mount.height_m - above_m
    if depth <= 0:
        return None
    return depth * mount.pixels[0] / mount.f_px, depth * mount.pixels[1] / mount.f_px


def px_per_m(mount: Mount, above_m: float = SHOULDER_M) -> float:
    return mount.f_px / (mount.height_m - above_m)


def room_needed_px(
    *,
    trail_px: float,
    speed_px_s: float,
    fps: float,
    frames: int = CONFIRMED_FRAMES,
    start_s: float = 0.0,
    band_px: float = JITTER_PX,
) -> float:
    """Return how far a line must lie from the picture's edge so that who comes is whole and confirmed before it: a + v
    (K / fps + t) + h (B05).
    """
    return trail_px + speed_px_s * (frames / fps + start_s) + band_px


def room_of_line_px(line: Sequence[Sequence[float]], pixels: tuple[int, int]) -> float:
    """Return how far a line lies from the nearest edge that is crossed before it: measured across the line, at its
    middle.
    """
    (x1, y1), (x2, y2) = ((float(p[0]), float(p[1])) for p in (line[0], line[-1]))
    mx, my = (x1 + x2) / 2, (y1 + y2) / 2
    length = math.hypot(x2 - x1, y2 - y1)
    nx, ny = ((y2 - y1) / length, -(x2 - x1) / length) if length else (0.0, 1.0)
    return min(_to_edge(mx, my, sign * nx, sign * ny, pixels) for sign in (1, -1))


def _to_edge(x: float, y: float, dx: float, dy: float, pixels: tuple[int, int]) -> float:
    """Return how far it is from a place to the picture's edge in a direction."""
    ways = []
    for at, step, size in ((x, dx, pixels[0]), (y, dy, pixels[1])):
        if step > 1e-12:
            ways.append((size - at) / step)
        elif step < -1e-12:
            ways.append(-at / step)
    return min(ways, default=0.0)


def needed_for_walkers_px(
    mount: Mount, fps: float, line: Sequence[Sequence[float]], *, speed_mps: float = WALK_MPS
) -> float | None:
    """The room that a line needs for people who walk across it, as large and as fast as they are there in the picture: beneath a
    camera that looks straight down at shoulder height, before any other at the line's middle on the ground. None: it is above the
    horizon.
    """
    if mount.tilt_deg >= STRAIGHT_DOWN_DEG:
        scale = px_per_m(mount)
        return room_needed_px(trail_px=BODY_M / 2 * scale, speed_px_s=speed_mps * scale, fps=fps)
    view = View(mount)
    one, other = (np.array(point[:2], dtype=float) for point in (line[0], line[-1]))
    ends = view.ground(np.stack([one, other, (one + other) / 2]))
    way = ends[1] - ends[0]
    if np.isnan(ends).any() or float(np.linalg.norm(way)) == 0:
        return None
    across = np.array([way[1], -way[0]]) / np.linalg.norm(way)
    step = np.array([*(across * 0.1), 0.0])
    foot = np.array([*ends[2], 0.0])
    moved = view.pixels(np.stack([foot - step, foot + step]))
    scale = float(np.linalg.norm(moved[1] - moved[0])) / 0.2
    tall = view.pixels(np.stack([foot, foot + np.array([0.0, 0.0, HEAD_M])]))
    normal = (other - one)[::-1] * np.array([1.0, -1.0]) / np.linalg.norm(other - one)
    # their feet are told from the box's lower edge: a box that comes from below lags by all its height, else by half its width
    body = abs(float((tall[1] - tall[0]) @ normal)) + BODY_M / 2 * float(view.across_px_per_m(foot)) * abs(
        float(normal[0])
    )
    return room_needed_px(trail_px=body, speed_px_s=speed_mps * scale, fps=fps)


def least_fps(speed_mps: float, width_m: float) -> float:
    """The rate at which one's boxes still overlap enough from picture to picture: v / (q width) (B08)."""
    return speed_mps / (MOST_SHIFT * width_m)


def depth_error_m(away_m: float, f_px: float, baseline_m: float, disparity_px: float = DISPARITY_PX) -> float:
    """Return the error of depth of two eyes: z² dd / (f B) (C10)."""
    return away_m**2 * disparity_px / (f_px * baseline_m)


def lane_seen(mount: Mount, one: Sequence[float], other: Sequence[float]) -> BaseGeometry | None:
    """Return what of the way between two points is seen at shoulder height: a line, or nothing of it; None: it hangs
    below that.
    """
    if mount.height_m <= SHOULDER_M:
        return None
    lane = shapely.LineString([tuple(one), tuple(other)])
    return shapely.intersection(lane, field_of(mount, SHOULDER_M, least_px_per_m=1.0))


def lane_m(mount: Mount, one: Sequence[float], other: Sequence[float]) -> float | None:
    """Return how long that is."""
    seen = lane_seen(mount, one, other)
    return None if seen is None else float(seen.length)
