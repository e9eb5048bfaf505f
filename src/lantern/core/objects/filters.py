"""Which samples count: sure enough, neither too low nor too high, of a class that is asked for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lantern.core.faults import Fault, Refused
from lantern.core.objects.dials import FILTERS, ObjectDials
from lantern.core.objects.region import ObjectRegion
from lantern.core.signals import Floats
from lantern.core.tracks import Tracks, majority_so_far
from lantern.core.watching import Bools


@dataclass(frozen=True, slots=True)
class Perspective:
    """How high a figure is at each row of the foot, from two that were marked: linear, and nothing at the horizon's row.

    Exact for a camera that looks level; tilted by 25 degrees it is some 3 % low half way (checks.json B17). Source:
    similar triangles, textbook.
    """

    row_0: float
    height_0: float
    slope: float  # px of height a row

    @property
    def horizon_row(self) -> float:
        return self.row_0 - self.height_0 / self.slope if self.slope else -np.inf

    def height(self, row: Floats) -> Floats:
        return np.asarray(self.height_0 + (row - self.row_0) * self.slope)


def perspective_of(regions: Sequence[ObjectRegion]) -> Perspective | None:
    """Return the perspective of two reference figures, lines from foot to head; None without any. `target_mm` scales
    the second to the first.
    """
    figures = [r for r in regions if r.role == "reference" and r.shape == "line"]
    if not figures:
        return None
    if len(figures) != 2 or any(len(f.points) != 2 for f in figures):
        raise Refused([Fault("regions", f"{len(figures)} reference figures", "two, each a line from foot to head")])
    feet, heights = zip(*(_figure(f) for f in figures), strict=True)
    sizes = [f.target_mm for f in figures]
    scale = 1.0 if None in sizes else float(sizes[0] or 1) / float(sizes[1] or 1)
    if feet[0] == feet[1]:
        raise Refused([Fault("regions", "both figures stand on one row", "one near, one far")])
    slope = (heights[1] * scale - heights[0]) / (feet[1] - feet[0])
    return Perspective(feet[0], heights[0], slope)


def _figure(region: ObjectRegion) -> tuple[float, float]:
    (_, y0), (_, y1) = region.points
    if y0 == y1:
        raise Refused([Fault(f"region {region.name}", "a figure of no height", "a line from foot to head")])
    return max(y0, y1), abs(y1 - y0)


def keeps(tracks: Tracks, regions: Sequence[ObjectRegion], dials: ObjectDials) -> dict[str, Bools]:
    """(n,) for each reason to leave a sample out, whether it may stay; the class is judged among those that the others let stay."""
    everything = np.ones(len(tracks), dtype=np.bool_)
    out = {"confidence": everything, "size": everything.copy(), "class": everything.copy()}
    if dials.min_confidence is not None:
        out["confidence"] = tracks.confidence >= dials.min_confidence
    if not tracks.on_plan:
        out["size"] &= _fits(tracks, regions, dials)
    if tracks.height_m is not None:
        out["size"] &= _tall(tracks.height_m, dials)
    if dials.classes is not None:
        stay = out["confidence"] & out["size"]
        wanted = [i for i, name in enumerate(tracks.classes) if name in dials.classes]
        of_those = np.isin(majority_so_far(tracks.only(stay)), wanted)
        out["class"] = np.isin(tracks.label, wanted)  # for those that are left out anyway: their own word
        out["class"][stay] = of_those
    return out


def _fits(tracks: Tracks, regions: Sequence[ObjectRegion], dials: ObjectDials) -> Bools:
    height = tracks.box[:, 3]
    fits = np.ones(len(tracks), dtype=np.bool_)
    if dials.min_height_px is not None:
        fits &= height >= dials.min_height_px
    if dials.max_height_px is not None:
        fits &= height <= dials.max_height_px
    if dials.min_height_share is None and dials.max_height_share is None:
        return fits
    seen = perspective_of(regions)
    if seen is None:
        raise Refused(
            [
                Fault(
                    "dials.min_height_share",
                    "no figures to expect a height from",
                    "two reference figures, foot to head",
                )
            ]
        )
    expected = seen.height(tracks.box[:, 1] + height)
    share = np.where(
        expected > 0, height / np.where(expected > 0, expected, 1), np.inf
    )  # above the horizon nobody stands
    good = share >= (dials.min_height_share or 0.0)
    if dials.max_height_share is not None:
        good &= share <= dials.max_height_share
    else:
        good &= np.isfinite(share)
    return fits & (good | tracks.cut_off())


def _tall(height_m: Floats, dials: ObjectDials) -> Bools:
    """(n,): within the limits in metres; a height that the device could not tell is no reason to leave anybody out."""
    fits = np.ones(height_m.size, dtype=np.bool_)
    if dials.min_height_m is not None:
        fits &= ~(height_m < dials.min_height_m)
    if dials.max_height_m is not None:
        fits &= ~(height_m > dials.max_height_m)
    return fits


def filtered(tracks: Tracks, regions: Sequence[ObjectRegion], dials: ObjectDials) -> Tracks:
    """The samples that count: the tracks themselves where all do."""

    def look() -> Tracks | None:
        keep = np.logical_and.reduce(list(keeps(tracks, regions, dials).values()))
        return None if keep.all() else tracks.only(keep)

    figures = tuple((region.points, region.target_mm) for region in regions if region.role == "reference")
    left = tracks.remember(("filtered", figures, *(getattr(dials, name) for name in FILTERS)), look)
    return tracks if left is None else left
