"""A counter that looks straight down: what it covers at the floor and at shoulder height, and whether a line has room in it."""

from __future__ import annotations

import math
from collections.abc import Sequence

from lantern.core.optics.mount import Mount

SHOULDER_M, HEAD_M = 1.45, 1.7  # common practice, no source
WALK_MPS = 1.4  # somebody in no hurry; common practice, no source
BODY_M = 0.5  # how long somebody is, seen from above; common practice, no source
CONFIRMED_FRAMES = 3
JITTER_PX = 5.0


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
    """How far a line must lie from the picture's edge so that who comes is whole and confirmed before it: a + v (K / fps + t) + h
    (B05).
    """  # fmt: skip
    return trail_px + speed_px_s * (frames / fps + start_s) + band_px


def room_of_line_px(line: Sequence[Sequence[float]], pixels: tuple[int, int]) -> float:
    """How far a line lies from the nearest edge that is crossed before it: measured across the line, at its middle."""
    (x1, y1), (x2, y2) = ((float(p[0]), float(p[1])) for p in (line[0], line[-1]))
    mx, my = (x1 + x2) / 2, (y1 + y2) / 2
    length = math.hypot(x2 - x1, y2 - y1)
    nx, ny = ((y2 - y1) / length, -(x2 - x1) / length) if length else (0.0, 1.0)
    return min(_to_edge(mx, my, sign * nx, sign * ny, pixels) for sign in (1, -1))


def _to_edge(x: float, y: float, dx: float, dy: float, pixels: tuple[int, int]) -> float:
    """How far it is from a place to the picture's edge in a direction."""
    ways = []
    for at, step, size in ((x, dx, pixels[0]), (y, dy, pixels[1])):
        if step > 1e-12:
            ways.append((size - at) / step)
        elif step < -1e-12:
            ways.append(-at / step)
    return min(ways, default=0.0)


def needed_for_walkers_px(mount: Mount, fps: float, *, speed_mps: float = WALK_MPS) -> float:
    """The room that a line needs for people who walk, as large as they are at shoulder height."""
    scale = px_per_m(mount)
    return room_needed_px(trail_px=BODY_M / 2 * scale, speed_px_s=speed_mps * scale, fps=fps)
