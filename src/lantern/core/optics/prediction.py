"""What geometry promises of one point in one camera's picture, held against what is wished (contract: `lantern predict`)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from lantern.core.optics import plate as plates
from lantern.core.optics import verdicts
from lantern.core.optics.grades import EDITIONS
from lantern.core.optics.mount import Floats, Mount, View
from lantern.core.optics.plate import CHAR_MM, STROKE_MM, PlateAt
from lantern.core.optics.verdicts import Judged, Wish

UPRIGHT_M = 1.8
EYES_M = 0.063  # between the eyes of an adult: Dodgson 2004, from memory
KMH = 3.6
ON_GROUND_M = 1e-9


@dataclass(frozen=True)
class PlateTarget:
    """What is known of a plate and of how it is captured; None: not asked about."""

    heading_deg: float
    char_mm: float = CHAR_MM
    stroke_mm: float = STROKE_MM
    speed_kmh: float | None = None
    shutter_s: float | None = None
    fps: float | None = None
    depth_m: float | None = None  # of the stretch in which it can be read


@dataclass(frozen=True)
class Target:
    """A point of the site in m, and what is to stand there."""

    point: tuple[float, float, float]
    plate: PlateTarget | None = None
    face: bool = False
    upright_m: float = UPRIGHT_M


@dataclass(frozen=True)
class Prediction:
    """`figures` by their names of the contract; None where the geometry does not give one."""

    figures: Mapping[str, Any]
    judged: Mapping[str, Judged]

    def as_dict(self) -> dict[str, Any]:
        return dict(self.figures) | {"verdicts": {name: each.as_dict() for name, each in self.judged.items()}}


def predict(mount: Mount, asked: Target) -> Prediction:
    """Return the figures of a point with the verdict on each that has a wish; cures are `lantern.core.optics.curing`'s."""
    view, point = View(mount), np.array(asked.point)
    figures = _of_point(view, point, asked)
    wishes: list[Wish] = []
    if asked.plate is not None:
        plate_figures, plate_wishes = _of_plate(PlateAt(view, point, asked.plate.heading_deg), asked.plate)
        figures |= plate_figures
        wishes += plate_wishes
    if asked.face:
        across = figures["across_px_per_m"]
        figures["eyes_px"] = None if across is None else across * EYES_M
        wishes.append(verdicts.EYES)
    return Prediction(figures, {wish.name: Judged(wish, figures[wish.name]) for wish in wishes})


def _of_point(view: View, point: Floats, asked: Target) -> dict[str, Any]:
    mount = view.mount
    pixel = view.pixels(point)
    across = _number(view.across_px_per_m(point))
    on_ground = abs(float(point[2])) < ON_GROUND_M
    return {
        "pixel": [float(pixel[0]), float(pixel[1])] if bool(view.inside(pixel)) else None,
        "depth_m": float(view.depth_m(point)),
        "range_m": float(view.range_m(point)),
        "across_px_per_m": across,
        "along_px_per_m": _number(view.along_px_per_m(point)) if on_ground else None,
        "grade_2014": EDITIONS["2014"].grade(across),
        "grade_2025": EDITIONS["2025"].grade(across),
        "upright_px": _number(pixel[1] - view.pixels(point + np.array([0.0, 0.0, asked.upright_m]))[1]),
        "near_m": view.near_m,
        "far_m": view.far_m,
        "hfov_deg": mount.hfov_deg,
        "vfov_deg": mount.vfov_deg,
    }


def _of_plate(plate: PlateAt, asked: PlateTarget) -> tuple[dict[str, Any], list[Wish]]:
    speed_mps = None if asked.speed_kmh is None else asked.speed_kmh / KMH
    blur, frames, fastest = None, None, None
    wishes = [verdicts.CHAR, verdicts.STROKE, verdicts.INCIDENCE_H, verdicts.INCIDENCE_V, verdicts.PLATE_ROLL]
    if speed_mps is not None and asked.shutter_s is not None:
        blur = plate.blur_px(speed_mps, asked.shutter_s)
        wishes.append(verdicts.PLATE_BLUR)
    if asked.fps is not None and asked.depth_m is not None:
        fastest = plates.max_mps(asked.depth_m, asked.fps) * KMH
        if speed_mps is not None and speed_mps > 0:
            frames = plates.frames(asked.depth_m, asked.fps, speed_mps)
            wishes.append(verdicts.FRAMES)
    figures = {
        "incidence_h_deg": plate.incidence_h_deg,
        "incidence_v_deg": plate.incidence_v_deg,
        "incidence_deg": plate.incidence_deg,
        "plate_roll_deg": plate.roll_deg,
        "char_px": plate.char_px(asked.char_mm),
        "stroke_px": plate.stroke_px(asked.stroke_mm),
        "blur_px": blur,
        "frames": frames,
        "max_kmh": fastest,
    }
    return figures, wishes


def _number(value: Any) -> float | None:
    number = float(value)
    return None if np.isnan(number) else number
