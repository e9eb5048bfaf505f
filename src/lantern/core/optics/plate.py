"""A plate at a place: how large its characters are, how it is turned to the camera, how it blurs, how often it is seen."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from lantern.core.optics.mount import Floats, View

CHAR_MM, STROKE_MM = 79.0, 14.0  # of British plates, from memory
FEWEST_FRAMES = 3  # common practice, no source
NEAR = 1e-9


@dataclass(frozen=True)
class PlateAt:
    """A plate whose face looks along `heading_deg` (clockwise from north, level), seen from a mount. It moves along its heading."""

    view: View
    point: Floats  # its middle, shape (3,)
    heading_deg: float

    @property
    def normal(self) -> Floats:
        heading = math.radians(self.heading_deg)
        return np.array([math.sin(heading), math.cos(heading), 0.0])

    @property
    def to_camera(self) -> Floats:
        return np.asarray(self.view.eye - self.point)

    @property
    def incidence_h_deg(self) -> float | None:
        """Between the horizontal parts of the way to the camera and of the normal; None right beneath the camera."""
        return _angle_deg(self.to_camera[:2], self.normal[:2])

    @property
    def incidence_v_deg(self) -> float:
        """Return how far the camera stands above the plate: atan2(height difference, horizontal distance)."""
        way = self.to_camera
        return math.degrees(math.atan2(way[2], math.hypot(way[0], way[1])))

    @property
    def incidence_deg(self) -> float | None:
        """Between the way to the camera and the normal (A20)."""
        return _angle_deg(self.to_camera, self.normal)

    @property
    def across_px_per_m(self) -> float | None:
        value = float(self.view.across_px_per_m(self.point))
        return None if math.isnan(value) else value

    def char_px(self, char_mm: float = CHAR_MM) -> float | None:
        """px/m x height x cos(vertical incidence) (A26)."""
        across = self.across_px_per_m
        return None if across is None else across * char_mm / 1000 * math.cos(math.radians(self.incidence_v_deg))

    def stroke_px(self, stroke_mm: float = STROKE_MM) -> float | None:
        """A27."""
        across = self.across_px_per_m
        return None if across is None else across * stroke_mm / 1000

    def blur_px(self, speed_mps: float, shutter_s: float) -> float | None:
        """Pixels between where it is half an exposure before and half of one after; None if one is behind the camera (A21)."""
        half = self.normal * speed_mps * shutter_s / 2
        ends = self.view.pixels(np.stack([self.point - half, self.point + half]))
        return None if np.isnan(ends).any() else float(np.linalg.norm(ends[1] - ends[0]))

    @property
    def roll_deg(self) -> float | None:
        """The angle of its lower edge in the picture against the rows, 0 to 90; None behind the camera."""
        along = np.array([self.normal[1], -self.normal[0], 0.0]) * 0.25
        ends = self.view.pixels(np.stack([self.point - along, self.point + along]))
        if np.isnan(ends).any():
            return None
        du, dv = np.abs(ends[1] - ends[0])
        return math.degrees(math.atan2(dv, du))


def frames(depth_m: float, fps: float, speed_mps: float) -> int:
    """Guaranteed in a capture depth: floor(L fps / v) (A23)."""
    return math.floor(depth_m * fps / speed_mps + NEAR)


def max_mps(depth_m: float, fps: float, count: int = FEWEST_FRAMES) -> float:
    """The greatest speed at which so many frames are guaranteed: L fps / n (A25)."""
    return depth_m * fps / count


def depth_of_field_m(focal_mm: float, f_number: float, circle_mm: float, focus_m: float) -> tuple[float, float | None]:
    """(near, far) that are sharp when focused at `focus_m`; far None: without end. H = f²/(N c) + f (A33, A34)."""
    hyperfocal = focal_mm**2 / (f_number * circle_mm) + focal_mm
    s = focus_m * 1000
    near = s * (hyperfocal - focal_mm) / (hyperfocal + s - 2 * focal_mm)
    far = None if s >= hyperfocal * (1 - NEAR) else s * (hyperfocal - focal_mm) / (hyperfocal - s) / 1000
    return near / 1000, far


def focus_blur_m(focal_mm: float, f_number: float, focus_m: float, depth_m: float) -> float:
    """The circle on the sensor, in m, as which a point at a depth is drawn: f² |z - s| / (N z (s - f)). It is one circle of confusion
    wide at both ends of the depth of field (A33). Textbook thin lens, without a source.
    """
    f = focal_mm / 1000
    return f * f * abs(depth_m - focus_m) / (f_number * depth_m * (focus_m - f))


def _angle_deg(one: Floats, other: Floats) -> float | None:
    """Return the angle by its half, which is exact for small angles too; None where one of the two has no direction."""
    lengths = float(np.linalg.norm(one)), float(np.linalg.norm(other))
    if min(lengths) < NEAR:
        return None
    a, b = one / lengths[0], other / lengths[1]
    return math.degrees(2 * math.atan2(float(np.linalg.norm(a - b)), float(np.linalg.norm(a + b))))
