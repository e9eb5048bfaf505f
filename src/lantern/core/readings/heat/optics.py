"""The smallest target that a thermal camera really measures.

A pixel sees pitch / focal length (radians); a target must cover 3 x 3 of them (*common practice, no source*), for the
lens spreads a point over its neighbours. A smaller one is diluted by what lies around it.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from lantern.core.faults import FaultList
from lantern.core.readings.heat.radiation import Model, radiator
from lantern.core.signals import KELVIN_AT_0_C

PIXELS_ACROSS = 3


@dataclass(frozen=True, slots=True)
class Spot:
    """A spot at one distance: what a pixel covers, what is measured, and how far away a target may be."""

    ifov_mrad: float
    pixel_mm: float
    measuring_mm: float

    def as_dict(self) -> dict[str, Any]:
        return asdict(self)


def spot(pitch_um: float, focal_mm: float, distance_m: float) -> Spot:
    """Pixel pitch in um, focal length in mm, distance in m; all above 0."""
    faults = FaultList()
    for name, value, unit in (
        ("pitch_um", pitch_um, "um"),
        ("focal_mm", focal_mm, "mm"),
        ("distance_m", distance_m, "m"),
    ):
        if not value > 0:
            faults.add(name, f"{value:g} {unit}", f"above 0 {unit}")
    faults.refuse_if_any()
    ifov_mrad = pitch_um / focal_mm
    return Spot(ifov_mrad, ifov_mrad * distance_m, PIXELS_ACROSS * ifov_mrad * distance_m)


def farthest_m(target_mm: float, ifov_mrad: float) -> float:
    """Return from how far a target of that size is still measured."""
    return target_mm / (PIXELS_ACROSS * ifov_mrad)


def diluted_c(target_c: float, around_c: float, fill: float, model: Model = "band_8_14") -> float:
    """Return what reads a pixel of which the share `fill` sees the target and the rest what lies around it,
    both black.
    """
    if not 0 <= fill <= 1:
        raise ValueError(f"fill {fill:g}")
    s = radiator(model)
    target, around = s.signal(np.array([target_c, around_c]) + KELVIN_AT_0_C)
    return float(s.kelvin(np.array([fill * target + (1 - fill) * around]))[0]) - KELVIN_AT_0_C
