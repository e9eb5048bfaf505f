"""A camera from the side, along its axis: what it sees of the ground and of who stands there, and what hides it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from lantern.core.optics.grades import Edition
from lantern.core.optics.mount import Mount, View
from lantern.core.optics.plate import depth_of_field_m
from lantern.core.optics.prediction import UPRIGHT_M
from lantern.core.promise.plan import Occluder

MARGIN = 1.15  # beyond what is to be seen
LONGEST_M = 200.0
PLACES = 120


@dataclass(frozen=True)
class Elevation:
    """Distances in m along the axis on the ground, heights above it."""

    height_m: float
    near_m: float | None
    far_m: float | None
    horizon: bool  # it is in the picture
    grades: Sequence[tuple[str, float, float]]  # name, px/m, where on the ground it ends
    walls: Sequence[
        tuple[str, float, float, float | None]
    ]  # name, where, how high, where the ground is seen again beyond it
    hidden: Sequence[tuple[float, float]]  # of the ground
    length_m: float  # worth showing
    tilt_deg: float
    sharp: tuple[float, float | None] | None  # of the ground, where the lens says its focus
    someone: Sequence[
        tuple[float, float, float | None, str]
    ]  # where, px/m, how tall in px, in words how much of them is seen

    def as_dict(self) -> dict[str, Any]:
        return {
            "what": "along",
            "height": self.height_m,
            "near": self.near_m,
            "far": self.far_m,
            "horizon": self.horizon,
            "grades": [list(each) for each in self.grades],
            "walls": [list(each) for each in self.walls],
            "hidden": [list(each) for each in self.hidden],
            "length": self.length_m,
            "tilt": self.tilt_deg,
            "upright": UPRIGHT_M,
            "sharp": self.sharp,
            "someone": [list(each) for each in self.someone],
        }


def elevation(mount: Mount, occluders: Sequence[Occluder], edition: Edition, *, reach_m: float = 0.0) -> Elevation:
    """Return the side view; `reach_m`: how far it should show at least."""
    view = View(mount)
    tilt = math.radians(mount.tilt_deg)
    grades = []
    for name, px_per_m in edition.grades:
        # Z = d cos(tilt) + h sin(tilt), so that d = (f/ppm - h sin(tilt)) / cos(tilt) (A13)
        if math.cos(tilt) > 1e-9:
            at_m = (mount.f_px / px_per_m - mount.height_m * math.sin(tilt)) / math.cos(tilt)
            if at_m > 0:
                grades.append((name, px_per_m, at_m))
    far_m = view.far_m
    shown = [reach_m * MARGIN, 10.0]
    shown += [grades[-2][2] * MARGIN] if len(grades) > 1 else []
    length_m = min(max(shown), LONGEST_M)
    walls = [
        (name, at_m, high_m, seen_again_m(at_m, high_m, mount.height_m))
        for name, at_m, high_m in _walls_on(mount, occluders, length_m)
    ]
    hidden = [(at_m, length_m if again_m is None else min(again_m, length_m)) for _, at_m, _, again_m in walls]
    return Elevation(
        mount.height_m, view.near_m, far_m, far_m is None, grades, walls, hidden, length_m, mount.tilt_deg,
        _sharp(mount), _someone(mount, edition, length_m),
    )  # fmt: skip


def seen_again_m(at_m: float, high_m: float, eye_m: float) -> float | None:
    """Return where the sight line over the top of a wall meets the ground, by similar triangles; None: the wall is as high as the
    eye, or higher, and nothing is seen beyond it.
    """
    return at_m * eye_m / (eye_m - high_m) if high_m < eye_m else None


def _sharp(mount: Mount) -> tuple[float, float | None] | None:
    """Return from where to where on the ground along the axis it is sharp; None where the lens says neither f-number
    nor focus.
    """
    tilt = math.radians(mount.tilt_deg)
    if mount.f_number is None or mount.focus_m is None or math.cos(tilt) < 1e-9:
        return None
    near, far = depth_of_field_m(mount.focal_mm, mount.f_number, mount.sensor_width_mm / mount.pixels[0], mount.focus_m)
    rise = mount.height_m * math.sin(tilt)
    return max((near - rise) / math.cos(tilt), 0.0), None if far is None else (far - rise) / math.cos(tilt)


def _someone(mount: Mount, edition: Edition, length_m: float) -> list[tuple[float, float, float | None, str]]:
    """Return what somebody who stands on the axis would be in the picture, at so many distances."""
    view, azimuth = View(mount), math.radians(mount.azimuth_deg)
    out = []
    for at_m in np.linspace(0, length_m, PLACES + 1)[1:]:
        foot = view.eye * [1, 1, 0] + at_m * np.array([math.sin(azimuth), math.cos(azimuth), 0.0])
        pixels = view.pixels(np.stack([foot, foot + np.array([0.0, 0.0, UPRIGHT_M])]))
        across = float(view.across_px_per_m(foot))
        if math.isnan(across):
            continue
        foot_in, head_in = (bool(each) for each in view.inside(pixels))
        tall = None if np.isnan(pixels).any() else float(pixels[0, 1] - pixels[1, 1])
        seen = {(True, True): "whole", (True, False): "without the head", (False, True): "without the feet"}
        words = f"{edition.grade(across) or 'below every grade'}, {seen.get((foot_in, head_in), 'not in the picture')}"
        out.append((round(float(at_m), 2), across, tall, words))
    return out


def _walls_on(mount: Mount, occluders: Sequence[Occluder], length_m: float) -> list[tuple[str, float, float]]:
    """Return where the axis, on the plan, meets what hides."""
    azimuth = math.radians(mount.azimuth_deg)
    eye = np.array([mount.x_m, mount.y_m])
    axis = shapely.LineString([eye, eye + length_m * np.array([math.sin(azimuth), math.cos(azimuth)])])
    out = []
    for occluder in occluders:
        for segment in occluder.wall.segments:
            cut = axis.intersection(shapely.LineString(segment))
            if not cut.is_empty:
                out.append((occluder.name, float(axis.project(cut.centroid)), occluder.height_m))
    return sorted(out, key=lambda each: each[1])
