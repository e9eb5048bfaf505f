"""Which reads count: those of which a number is at least a dial, and that lie in a watched region."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from shapely import Geometry, box, intersects_xy, polygons, prepare

from lantern.core.plates.detector import PlateRegion
from lantern.core.plates.dials import PlateDials
from lantern.core.signals import Floats
from lantern.core.watching import Bools, Indices

EQUAL = 1e-9


@dataclass(frozen=True)
class Filter:
    """A read counts where its number is at least the dial. `bare`: the dial that lets each read count, also one without the number.

    `number(confidence, plate)`: (n,) of reads whose confidences (n,) and plates' boxes (n, 4) they are; NaN where a read has none.
    """

    dial: str
    bare: float | None
    number: Callable[[Floats, Floats], Floats]


FILTERS = (
    Filter("min_confidence", 0.0, lambda confidence, plate: confidence),
    Filter("min_height_px", None, lambda confidence, plate: plate[:, 3]),
)


def accepted(
    length: NDArray[np.int8], confidence: Floats, plate: Floats, regions: Sequence[PlateRegion], dials: PlateDials
) -> Bools:
    """(n,): which reads count. `length` of their keys, `plate` (n, 4) their boxes, NaN where there is none."""
    counts = length > 0
    for each in FILTERS:
        least = getattr(dials, each.dial)
        if least is not None:
            counts &= each.number(confidence, plate) >= least - EQUAL
    if regions:
        counts &= places_of(plate, regions) >= 0
    return np.asarray(counts)


def places_of(plate: Floats, regions: Sequence[PlateRegion]) -> Indices:
    """(n,) the first watched region that holds the middle of each box; -1: none."""
    found = np.full(len(plate), -1, dtype=np.intp)
    middle = plate[:, :2] + plate[:, 2:] / 2
    known = ~np.isnan(middle[:, 0])
    for number, region in reversed(list(enumerate(regions))):
        if region.role == "watch":
            found[known & intersects_xy(area_of(region), np.nan_to_num(middle))] = number
    return found


def area_of(region: PlateRegion) -> Geometry:
    """Return a region as a shape whose edge belongs to it."""
    if region.shape == "box":
        (x0, y0), (x1, y1) = region.points[0], region.points[-1]
        shape: Geometry = box(min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1))
    else:
        shape = polygons(region.points)
    prepare(shape)
    return shape
