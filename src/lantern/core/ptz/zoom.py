"""What a zoom unit is: measured at some of its values, monotone between them, and never foretold beyond."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from scipy.interpolate import PchipInterpolator

from lantern.core.faults import Fault, FaultList, Refused

FEWEST = 6
LEAST_FIELD_DEG, MOST_FIELD_DEG = 0.3, 120.0


class Measured(NamedTuple):
    """The horizontal field at a value of its zoom unit."""

    unit: float
    field_deg: float


def focal_px(shift_px: float, turned_deg: float) -> float:
    """Return the focal length in pixels by which the middle of a picture moves so far when the head pans so little, level with it."""
    if not 0 < abs(turned_deg) < 45 or shift_px == 0:
        raise Refused(
            [Fault("pictures", f"{shift_px:g} px for {turned_deg:g}°", "a small turn that moves the picture")]
        )
    return abs(shift_px / math.tan(math.radians(turned_deg)))


def field_of(focal: float, width_px: float) -> float:
    return math.degrees(2 * math.atan(width_px / 2 / focal))


class ZoomCurve:
    """The field by zoom unit: monotone through what was measured, in the logarithm of the focal length."""

    def __init__(self, measured: Sequence[Measured]) -> None:
        held = sorted(measured)
        faults = FaultList()
        if len(held) < FEWEST:
            faults.add("zoom", f"{len(held)} values were measured", f"{FEWEST} at least, from one end to the other")
        for one in held:
            if not LEAST_FIELD_DEG <= one.field_deg <= MOST_FIELD_DEG:
                faults.add("zoom", f"{one.field_deg:g}° at {one.unit:g}", f"{LEAST_FIELD_DEG:g} to {MOST_FIELD_DEG:g}°")
        for one, other in itertools.pairwise(held):
            if other.unit <= one.unit:
                faults.add("zoom", f"{one.unit:g} was measured twice", "each value once")
            elif other.field_deg >= one.field_deg:
                what = f"the field grows from {one.field_deg:g}° to {other.field_deg:g}° between {one.unit:g} and {other.unit:g}"
                faults.add("zoom", what, "a field that narrows: measure these again, once the focus has settled")
        faults.refuse_if_any()
        self.measured = tuple(held)
        units = np.array([each.unit for each in held])
        slopes = np.array([math.log(1 / math.tan(math.radians(each.field_deg) / 2)) for each in held])
        self._log = PchipInterpolator(units, slopes, extrapolate=False)
        self._unit = PchipInterpolator(slopes, units, extrapolate=False)

    @property
    def widest_deg(self) -> float:
        return self.measured[0].field_deg

    @property
    def narrowest_deg(self) -> float:
        return self.measured[-1].field_deg

    def field_deg(self, unit: float) -> float:
        """Return the field at a zoom unit. Raises `Refused` beyond what was measured."""
        low, high = self.measured[0].unit, self.measured[-1].unit
        if not low <= unit <= high:
            raise Refused([Fault("zoom", f"{unit:g} was not measured", f"{low:g} to {high:g}, or measure farther")])
        return math.degrees(2 * math.atan(math.exp(-float(self._log(unit)))))

    def unit_of(self, field_deg: float) -> float:
        """Return the zoom unit of a field; the nearest end, where it is beyond what was measured."""
        held = min(max(field_deg, self.narrowest_deg), self.widest_deg)
        low, high = self.measured[0].unit, self.measured[-1].unit
        found = float(self._unit(math.log(1 / math.tan(math.radians(held) / 2))))
        return min(max(found, low), high) if math.isfinite(found) else (low if held >= self.widest_deg else high)

    def times(self, unit: float) -> float:
        """How many times the focal length of its wide end."""
        return math.tan(math.radians(self.widest_deg) / 2) / math.tan(math.radians(self.field_deg(unit)) / 2)
