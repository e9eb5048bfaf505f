"""Regions before a radar: sectors between two ranges and two azimuths, and polygons in metres."""

from __future__ import annotations

from collections.abc import Callable
from typing import Self

import numpy as np
import shapely
from pydantic import Field, model_validator

from lantern.core.events import Detector, Region
from lantern.core.faults import Fault, Refused
from lantern.core.radar.beside import Beside
from lantern.core.radar.tracking.clutter import ClutterMap
from lantern.core.radar.tracking.dials import Tracking
from lantern.core.signals import Floats
from lantern.core.watching import Bools

TURN_DEG = 360.0
EQUAL = 1e-9  # comparisons of other things than times
WAY_DECIMALS = 8  # ways that differ are farther apart than that, so that a sweep is exact


class RadarRegion(Region):
    """`sector`: [[near_m, left_deg], [far_m, right_deg]], its ends are inside; `polygon`: [x, y] in metres, to the right and ahead."""

    @model_validator(mode="after")
    def _possible(self) -> Self:
        if self.shape == "polygon":
            if len(self.points) < 3:
                raise ValueError(f"a polygon of {len(self.points)} points: three at least")
            area = shapely.Polygon(self.points)
            if not area.is_valid or area.area == 0:
                raise ValueError("it crosses itself or has no area: edges that do not cross, and an area")
        elif self.shape == "sector":
            if len(self.points) != 2:
                raise ValueError(f"a sector of {len(self.points)} points: [near_m, left_deg] and [far_m, right_deg]")
            (near, left), (far, right) = self.points
            if not 0 <= near < far:
                raise ValueError(f"near {near:g} m and far {far:g} m: 0 at least, and near below far")
            if not left < right:
                raise ValueError(f"left {left:g}° and right {right:g}°: left below right (negative degrees pass 0)")
        return self


class RadarDetector(Detector):
    """A detector of what a radar sees; without a region everywhere. Of a unit that gives bare detections `tracking` says how they are
    followed, `clutter` what always answers; `beside`: a camera that must see the same, or must not.
    """

    regions: tuple[RadarRegion, ...] = Field(default=())
    tracking: Tracking | None = None
    clutter: ClutterMap | None = None
    beside: Beside | None = None

    @property
    def watched(self) -> tuple[RadarRegion | None, ...]:
        """Return its regions; None: everywhere."""
        return self.regions or (None,)


def check_shapes(detector: RadarDetector) -> None:
    """Raises `Refused` for a region of another shape."""
    for region in detector.regions:
        if region.shape not in ("sector", "polygon") or region.role != "watch":
            what = f"a {region.shape} to {region.role}"
            raise Refused([Fault(f"region {region.name}", what, "a sector or a polygon that is watched")])


def inside(
    region: RadarRegion | None, range_m: Floats, azimuth_deg: Floats, places: Callable[[], tuple[Floats, Floats]]
) -> Bools:
    """(n,): is each place in the region, its edge included? `places()`: (x, y) m, asked for a polygon alone."""
    if region is None:
        return np.ones(range_m.size, dtype=np.bool_)
    if region.shape == "polygon":
        area = shapely.Polygon(region.points)
        shapely.prepare(area)
        return np.asarray(shapely.intersects_xy(area, *places()))
    (near, left), (far, right) = region.points
    there = (range_m >= near - EQUAL) & (range_m <= far + EQUAL)
    if right - left >= TURN_DEG:
        return there
    beyond = np.mod(azimuth_deg - left, TURN_DEG)  # how far to the right of its left side
    out: Bools = there & ((beyond <= right - left + EQUAL) | (beyond >= TURN_DEG - EQUAL))
    return out
