"""Where a radar's own frame lies on the plan: it stands somewhere, and looks some way."""

from __future__ import annotations

import math
from typing import NamedTuple

from lantern.core.signals import Floats


class Frame(NamedTuple):
    """`x_m`, `y_m` on the plan (east, north); `azimuth_deg` of its axis, clockwise from north."""

    x_m: float
    y_m: float
    azimuth_deg: float

    @property
    def _axes(self) -> tuple[float, float]:
        turned = math.radians(self.azimuth_deg)
        return math.sin(turned), math.cos(turned)

    def onto_plan(self, right_m: Floats, ahead_m: Floats) -> tuple[Floats, Floats]:
        """Return where on the plan lies what is so far to its right and ahead of it."""
        s, c = self._axes
        return self.x_m + right_m * c + ahead_m * s, self.y_m - right_m * s + ahead_m * c

    def from_plan(self, x_m: Floats, y_m: Floats) -> tuple[Floats, Floats]:
        """Return how far to its right, and ahead of it, places of the plan lie."""
        s, c = self._axes
        east, north = x_m - self.x_m, y_m - self.y_m
        return east * c - north * s, east * s + north * c
