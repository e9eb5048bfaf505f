"""Regions of a thermal picture: which pixels they hold.

A polygon or box holds the pixels whose centres (x + 0.5, y + 0.5) lie inside it or on its edge (shapely decides); a
spot is one pixel.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache

import numpy as np
import shapely
from numpy.typing import NDArray

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.readings.region import ReadingRegion


@lru_cache(maxsize=256)  # live, a region is asked for with every frame
def pixels_of(region: ReadingRegion, *, width: int, height: int) -> NDArray[np.intp]:
    """Flat row-major indices of a region's pixels; refuses shapes that hold none, leave the picture or cross themselves."""
    faults = FaultList()
    where = f"region {region.name}"
    count = len(region.points)
    wanted = {"spot": (1, 1), "box": (2, 2), "polygon": (3, 10_000)}.get(region.shape)
    if wanted is None:
        faults.add(where, f"shape {region.shape} has no pixels", "spot, box or polygon for a thermal picture")
    elif not wanted[0] <= count <= wanted[1]:
        many = str(wanted[0]) if wanted[0] == wanted[1] else f"at least {wanted[0]}"
        faults.add(where, f"{count} points", f"{many} for a {region.shape}")
    for x, y in region.points:
        if not (0 <= x <= width and 0 <= y <= height):
            faults.add(where, f"point ({x:g}, {y:g}) lies outside", f"a picture of {width} x {height} pixels")
    faults.refuse_if_any()

    if region.shape == "spot":
        x, y = region.points[0]
        column, row = min(math.floor(x), width - 1), min(math.floor(y), height - 1)
        return np.array([row * width + column], dtype=np.intp)
    if region.shape == "box":
        (x0, y0), (x1, y1) = region.points
        shape = shapely.box(min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1))
    else:
        shape = shapely.Polygon(region.points)
        if not shape.is_valid:
            faults.add(where, "the polygon crosses or touches itself", "edges that do not cross")
            faults.refuse_if_any()
    index = _centres_inside(shape, width, height)
    if index.size == 0:
        faults.add(where, "no pixel centre lies in it", "a region of at least one pixel")
        faults.refuse_if_any()
    return index


def used_pixels(region: ReadingRegion, masks: Sequence[ReadingRegion], *, width: int, height: int) -> NDArray[np.intp]:
    """A region's pixels without those of the masks; refuses a region of which nothing is left."""
    index = pixels_of(region, width=width, height=height)
    if not masks:
        return index
    left = np.setdiff1d(index, np.concatenate([pixels_of(mask, width=width, height=height) for mask in masks]))
    if left.size == 0:
        raise Refused(
            [Fault(f"region {region.name}", "all its pixels are masked", "a smaller mask or a larger region")]
        )
    return left


def _centres_inside(shape: shapely.Polygon, width: int, height: int) -> NDArray[np.intp]:
    left, top, right, bottom = shape.bounds
    columns = np.arange(max(0, math.floor(left - 0.5)), min(width, math.ceil(right + 0.5)))
    rows = np.arange(max(0, math.floor(top - 0.5)), min(height, math.ceil(bottom + 0.5)))
    grid_x, grid_y = np.meshgrid(columns, rows)
    shapely.prepare(shape)
    inside = shapely.intersects_xy(shape, grid_x + 0.5, grid_y + 0.5)
    return (grid_y[inside] * width + grid_x[inside]).astype(np.intp)


def rank_of_percentile(percent: float, pixels: int) -> int:
    """k such that the k-th coldest pixel is that percentile, by nearest rank: the least one that so many percent do not exceed."""
    return min(max(1, math.ceil(percent * pixels / 100 - 1e-9)), pixels)


def rank_of_extent(extent: float, unit: str, pixels: int) -> int:
    """k such that "at least `extent` pixels beyond the threshold" is "the k-th most extreme pixel is beyond it"."""
    wanted = extent * pixels / 100 if unit == "percent" else extent
    return max(1, math.ceil(wanted - 1e-9))
