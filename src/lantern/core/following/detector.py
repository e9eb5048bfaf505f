"""A detector that has a head follow whoever moves over the plan: regions are polygons on it, masks those in which nobody is followed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from pydantic import Field

from lantern.core.events import Detector, Region
from lantern.core.faults import Fault, Refused
from lantern.core.ptz.head import Head
from lantern.core.ptz.pointing import Direction
from lantern.core.ptz.standing import FRAME_PX, REST
from lantern.core.signals import Floats
from lantern.core.tracks import Tracks
from lantern.core.watching import Bools


class FollowDetector(Detector):
    """`head`: what turns, in a file of its own; in the program it is the device. `cameras`: devices whose objects are followed live.
    `home_deg`: pan and tilt while there is nobody; None: as its mount has it.
    """

    regions: tuple[Region, ...] = Field(default=())
    head: Head | None = None
    cameras: tuple[str, ...] = ()
    home_deg: tuple[float, float] | None = None


@dataclass(frozen=True)
class Ground:
    """Who moved over the plan, and the head that may follow; None: nobody says which. `rest`: where it looks by its mount."""

    tracks: Tracks
    head: Head | None
    rest: Direction = REST
    frame_px: tuple[int, int] = FRAME_PX


def check_shapes(detector: FollowDetector) -> None:
    """Raises `Refused` for a region that is no area of the plan."""
    for region in detector.regions:
        if region.shape not in ("polygon", "box") or region.role == "reference":
            what = f"a {region.shape} to {region.role}"
            raise Refused([Fault(f"region {region.name}", what, "a polygon or box that is watched, or masked")])
        if region.shape == "polygon" and len(region.points) < 3:
            raise Refused([Fault(f"region {region.name}", f"{len(region.points)} corners", "three at least")])


class Areas:
    """Where of the plan somebody may be followed: within the watched areas, if there are any, and in none that is masked."""

    def __init__(self, detector: FollowDetector) -> None:
        self._watch = [(r.name, _area(r)) for r in detector.regions if r.role == "watch"]
        self._mask = [_area(r) for r in detector.regions if r.role == "mask"]

    def region(self, x: Floats, y: Floats) -> tuple[Bools, list[str]]:
        """(n,) where somebody may be followed, and in which watched area (empty: everywhere)."""
        may = np.full(x.size, not self._watch)
        names = [""] * x.size
        for name, area in self._watch:
            there = shapely.intersects_xy(area, x, y) & ~may
            may |= there
            for at in np.flatnonzero(there).tolist():
                names[at] = name
        for area in self._mask:
            may &= ~shapely.intersects_xy(area, x, y)
        return may, names


def _area(region: Region) -> shapely.Geometry:
    if region.shape == "box":
        (x0, y0), (x1, y1) = region.points[:2]
        return shapely.box(min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1))
    area = shapely.Polygon(region.points)
    shapely.prepare(area)
    return area
