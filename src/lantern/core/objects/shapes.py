"""A detector's regions as geometry, lines of two points and areas with their edge; and where objects are against them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
import shapely

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.objects.dials import ObjectDials
from lantern.core.objects.lines import Beside, Point, beside, shares_beyond
from lantern.core.objects.region import ObjectRegion
from lantern.core.signals import Floats
from lantern.core.tracks import Tracks, stretch_count, stretch_of
from lantern.core.watching import Bools


def watched_regions(regions: Sequence[ObjectRegion]) -> list[ObjectRegion]:
    """Return the regions without the figures that sizes are expected from."""
    found = [region for region in regions if region.role == "watch"]
    if not found:
        raise Refused([Fault("regions", "none is watched", "a line or a zone")])
    return found


def line_of(region: ObjectRegion) -> tuple[Point, Point]:
    if region.shape != "line" or len(region.points) != 2:
        what = f"a {region.shape} of {len(region.points)} points"
        raise Refused([Fault(f"region {region.name}", what, "a line of two points")])
    a, b = region.points
    if a == b:
        raise Refused([Fault(f"region {region.name}", "its two points are the same", "two different points")])
    return a, b


def area_of(region: ObjectRegion) -> shapely.Polygon:
    faults = FaultList()
    where = f"region {region.name}"
    if region.shape == "box" and len(region.points) == 2:
        (x0, y0), (x1, y1) = region.points
        area = shapely.box(min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1))
    elif region.shape == "polygon" and len(region.points) >= 3:
        area = shapely.Polygon(region.points)
    else:
        raise Refused([Fault(where, f"a {region.shape} of {len(region.points)} points", "a box or a polygon")])
    if not area.is_valid or area.area == 0:
        faults.add(where, "crosses itself or has no area", "edges that do not cross, and an area")
    faults.refuse_if_any()
    return area


def inside(tracks: Tracks, dials: ObjectDials, region: ObjectRegion) -> Bools:
    """(n,): is each sample's anchor inside the region, its edge included (shapely decides)?"""

    def look() -> Bools:
        area = area_of(region)
        shapely.prepare(area)
        x, y = tracks.anchors(dials.anchor).T
        left, top, right, bottom = area.bounds
        out = (x >= left) & (x <= right) & (y >= top) & (y <= bottom)  # most lie far from it
        out[out] = shapely.intersects_xy(area, x[out], y[out])
        return np.asarray(out)

    return tracks.remember(("inside", region.shape, region.points, dials.anchor), look)


def beside_line(tracks: Tracks, dials: ObjectDials, region: ObjectRegion) -> Beside:
    """Return where the samples' anchors are against a line."""

    def look() -> Beside:
        return beside(tracks.anchors(dials.anchor), stretch_of(tracks, dials.gap_s), *line_of(region))

    return tracks.remember(("beside", region.points, dials.anchor, stretch_count(tracks, dials.gap_s)), look)


def shares_beyond_line(tracks: Tracks, dials: ObjectDials, region: ObjectRegion) -> Mapping[bool, Floats]:
    """Return, of the boxes of `beside_line(...).lively`, the share that lies beyond the line: on its B side (True), on
    its A side.
    """

    def look() -> Mapping[bool, Floats]:
        boxes = tracks.box[beside_line(tracks, dials, region).lively]
        return {to_b: shares_beyond(boxes, *line_of(region), positive=to_b) for to_b in (True, False)}

    return tracks.remember(("beyond", region.points, dials.anchor, stretch_count(tracks, dials.gap_s)), look)
