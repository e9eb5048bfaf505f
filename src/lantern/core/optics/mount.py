"""A camera where it stands: metres of the site to pixels and back. x east, y north, z up; u right, v down from the top left corner.

Square pixels, no distortion, flat ground at z = 0. Textbook pinhole model, without a source.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from lantern.core.modelled import Strict

Floats = NDArray[np.float64]
WIDEST_DEG = 120.0  # common practice, no source: beyond it the pinhole model does not hold


class Mount(Strict):
    """Where a camera stands, where it looks, and its lens."""

    x_m: float = Field(ge=-1e6, le=1e6)
    y_m: float = Field(ge=-1e6, le=1e6)
    height_m: float = Field(gt=0, le=1000, description="above the ground")
    azimuth_deg: float = Field(ge=-360, le=360, description="clockwise from north")
    tilt_deg: float = Field(ge=-90, le=90, description="below the horizontal")
    roll_deg: float = Field(default=0.0, ge=-180, le=180, description="turned clockwise, seen from behind")
    focal_mm: float = Field(gt=0, le=2000)
    sensor_width_mm: float = Field(gt=0, le=100, description="of the pixels that are used")
    focal_min_mm: float | None = Field(default=None, gt=0, le=2000, description="of a lens that zooms")
    focal_max_mm: float | None = Field(default=None, gt=0, le=2000)
    f_number: float | None = Field(default=None, ge=0.5, le=64)
    focus_m: float | None = Field(default=None, gt=0, le=10_000, description="at which it is focused")
    pixels: tuple[int, int] = Field(description="width and height of the picture")

    @property
    def f_px(self) -> float:
        """Focal length in pixels: N f / w (A07)."""
        return self.pixels[0] * self.focal_mm / self.sensor_width_mm

    @property
    def hfov_deg(self) -> float:
        """2 atan(w / 2f) (A01)."""
        return math.degrees(2 * math.atan(self.pixels[0] / (2 * self.f_px)))

    @property
    def vfov_deg(self) -> float:
        return math.degrees(2 * math.atan(self.pixels[1] / (2 * self.f_px)))

    @property
    def zoom_mm(self) -> tuple[float, float]:
        """The shortest and the longest focal length; of a lens that says nothing of a zoom, what another lens could have."""
        return self.focal_min_mm or 1.0, self.focal_max_mm or 200.0

    def focal_of(self, field_deg: float) -> float:
        """The focal length whose field is so wide, in mm to a tenth: w / (2 tan(field / 2)) (A01); at most what its zoom has."""
        low_mm, high_mm = self.zoom_mm
        wanted_mm = self.sensor_width_mm / (2 * math.tan(math.radians(field_deg) / 2))
        return round(min(max(wanted_mm, low_mm), high_mm), 1)

    def check(self) -> list[str]:
        """Return what must not be, in words; empty: all is well."""
        out = []
        if min(self.pixels) < 1 or max(self.pixels) > 20_000:
            out.append(f"a picture of {self.pixels[0]} x {self.pixels[1]} pixels: 1 to 20000 each way")
        elif self.hfov_deg > WIDEST_DEG:
            out.append(f"a field of {self.hfov_deg:.1f}°: at most {WIDEST_DEG:g}°, a fisheye has another model")
        low_mm, high_mm = (self.focal_min_mm or self.focal_mm, self.focal_max_mm or self.focal_mm)
        if not low_mm <= self.focal_mm <= high_mm:
            out.append(f"a focal length of {self.focal_mm:g} mm, where its zoom has {low_mm:g} to {high_mm:g} mm")
        return out


@dataclass(frozen=True)
class View:
    """A mount, ready to project. Points are arrays of shape (..., 3) in m."""

    mount: Mount

    @cached_property
    def eye(self) -> Floats:
        return np.array([self.mount.x_m, self.mount.y_m, self.mount.height_m])

    @cached_property
    def axes(self) -> Floats:
        """Rows: to the right, down and ahead in the picture, as unit vectors of the site; shape (3, 3)."""
        azimuth, tilt, roll = (
            math.radians(angle) for angle in (self.mount.azimuth_deg, self.mount.tilt_deg, self.mount.roll_deg)
        )
        ahead = np.array([math.sin(azimuth) * math.cos(tilt), math.cos(azimuth) * math.cos(tilt), -math.sin(tilt)])
        level = np.array([math.cos(azimuth), -math.sin(azimuth), 0.0])
        down = np.cross(ahead, level)
        right = level * math.cos(roll) + down * math.sin(roll)
        return np.stack([right, down * math.cos(roll) - level * math.sin(roll), ahead])

    def depth_m(self, points: Floats) -> Floats:
        """Along the optical axis, not along the sight line; shape (...)."""
        return np.asarray((points - self.eye) @ self.axes[2])

    def range_m(self, points: Floats) -> Floats:
        """Straight distance; shape (...)."""
        return np.asarray(np.linalg.norm(points - self.eye, axis=-1))

    def pixels(self, points: Floats) -> Floats:
        """(u, v) of each point, shape (..., 2); NaN behind the camera. A point outside the picture has a place all the same."""
        seen = (points - self.eye) @ self.axes.T
        depth = np.where(seen[..., 2] > 0, seen[..., 2], np.nan)
        centre = np.array(self.mount.pixels) / 2
        return np.asarray(centre + self.mount.f_px * seen[..., :2] / depth[..., None])

    def inside(self, pixels: Floats) -> NDArray[np.bool_]:
        """Return whether each place lies inside the picture, edges included. NaN is not."""
        width, height = self.mount.pixels
        u, v = pixels[..., 0], pixels[..., 1]
        return np.asarray((u >= 0) & (u <= width) & (v >= 0) & (v <= height))

    def across_px_per_m(self, points: Floats) -> Floats:
        """f_px / Z, of something that stands across the axis (A03, A13); NaN behind the camera."""
        depth = self.depth_m(points)
        return np.asarray(self.mount.f_px / np.where(depth > 0, depth, np.nan))

    def along_px_per_m(self, points: Floats) -> Floats:
        """f_px h / Z², along the ground, away from the camera (A13); NaN behind it."""
        depth = self.depth_m(points)
        return np.asarray(self.mount.f_px * self.mount.height_m / np.where(depth > 0, depth, np.nan) ** 2)

    def rays(self, pixels: Floats) -> Floats:
        """Directions of pixels, shape (..., 3), not of unit length."""
        centre = np.array(self.mount.pixels) / 2
        at = (pixels - centre) / self.mount.f_px
        return np.asarray(at[..., :1] * self.axes[0] + at[..., 1:] * self.axes[1] + self.axes[2])

    def ground(self, pixels: Floats, z_m: float = 0.0) -> Floats:
        """(x, y) where pixels meet the level at `z_m`, shape (..., 2); NaN where they do not (above the horizon)."""
        rays = self.rays(pixels)
        fall = (self.mount.height_m - z_m) / np.where(rays[..., 2] < 0, -rays[..., 2], np.nan)
        return np.asarray(self.eye[:2] + rays[..., :2] * fall[..., None])

    @property
    def horizon_row_px(self) -> float:
        """Row of the horizon on the axis: c_y - f_px tan(tilt), without roll (A10)."""
        return self.mount.pixels[1] / 2 - self.mount.f_px * math.tan(math.radians(self.mount.tilt_deg))

    @property
    def near_m(self) -> float | None:
        """Horizontal distance at the picture's lower edge on the axis; 0 or less: beneath the mount; None: that edge is above the
        horizon (A08, A09).
        """
        return _meets(self.mount.height_m, self.mount.tilt_deg + self.mount.vfov_deg / 2)

    @property
    def far_m(self) -> float | None:
        """The same at the upper edge; None: the horizon is in view."""
        return _meets(self.mount.height_m, self.mount.tilt_deg - self.mount.vfov_deg / 2)


def _meets(height_m: float, below_deg: float) -> float | None:
    """Return where a sight line so far below the horizontal meets the ground."""
    if below_deg <= 0:
        return None
    if abs(below_deg - 90) < 1e-12:
        return 0.0
    return height_m / math.tan(math.radians(below_deg))
