"""How a stand-in's camera sees the ground: a pinhole over a flat level."""

from __future__ import annotations

import math

from lantern.standins.crowd import Box, Camera


def pinhole(height_m: float, tilt_deg: float, f_px: float, frame_px: tuple[int, int]) -> Camera:
    """x to the right, y away from the mast, in m; no roll, flat ground (domain: ground, textbook)."""
    tilt = math.radians(tilt_deg)
    cx, cy = frame_px[0] / 2, frame_px[1] / 2

    def row(y: float, up_m: float) -> tuple[float, float]:
        depth = y * math.cos(tilt) + (height_m - up_m) * math.sin(tilt)
        below = (height_m - up_m) * math.cos(tilt) - y * math.sin(tilt)
        return cy + f_px * below / depth, depth

    def camera(x: float, y: float, width_m: float, tall_m: float) -> Box:
        foot, depth = row(y, 0.0)
        head, _ = row(y, tall_m)
        w = f_px * width_m / depth
        return cx + f_px * x / depth - w / 2, head, w, foot - head

    return camera
