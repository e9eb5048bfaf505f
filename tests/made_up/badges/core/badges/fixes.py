"""What locators on a site give: where on its plan each badge is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely

from lantern.core.events import Region
from lantern.core.signals import Floats, Series


@dataclass(frozen=True, slots=True)
class Fix:
    """Metres east and north on the plan."""

    badge: str
    x_m: float
    y_m: float


@dataclass(frozen=True)
class Fixes:
    """`t_s` (n,); of each moment all badges."""

    t_s: Floats
    moments: tuple[tuple[Fix, ...], ...]

    def __len__(self) -> int:
        return int(self.t_s.size)


def inside(fixes: Sequence[Fix], region: Region) -> int:
    """How many badges are within a region."""
    within = shapely.Polygon(region.points)
    return sum(within.covers(shapely.Point(fix.x_m, fix.y_m)) for fix in fixes)


def crowd(fixes: Fixes, region: Region) -> Series:
    return Series(fixes.t_s, np.array([float(inside(each, region)) for each in fixes.moments]), "badges", region.name)
