"""Is there room before the line? The edge rule, from the take's own sizes, speeds and frame rate.

An object must be wholly in view before it crosses. Its trailing edge lags the anchor by a, the first whole frame may come a
frame late, K frames confirm it, the tracker takes t to start: d >= a + v (K / fps + t) + h, h being the band (derived).
Association by overlap: boxes that move by a share q of their width between frames overlap by (1 - q)/(1 + q).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from lantern.core.objects.dials import CountDials, CrossingDials
from lantern.core.objects.lines import Point
from lantern.core.objects.region import ObjectRegion
from lantern.core.objects.shapes import beside_line, line_of
from lantern.core.signals import Floats
from lantern.core.tracks import Tracks

CONFIRMATIONS = 3  # frames until a tracker trusts an object; common practice, no source
LARGEST = 0.98  # the quantile of sizes and speeds taken for the largest and fastest: single wild boxes are no objects
LEAST_OVERLAP = 0.3  # of successive boxes, for a tracker to keep an object; common practice, no source
LEAST_OBJECTS = 5
PLENTY = 100_000  # samples near the line, evenly spaced, tell a quantile of a long take


def edge_distance(
    trail_px: float, speed_px_s: float, fps: float, band_px: float, *, frames: float, start_s: float = 0.0
) -> float:
    """Least distance in px between the line and the picture's edge."""
    return trail_px + speed_px_s * (frames / fps + start_s) + band_px


def overlap(share: float) -> float:
    """Intersection over union of two equal boxes that are a share of their width apart."""
    return (1 - share) / (1 + share)


def largest_shift(least_overlap: float) -> float:
    """The greatest share of its width that a box may move for such an overlap."""
    return (1 - least_overlap) / (1 + least_overlap)


def least_fps(speed: float, width: float, least_overlap: float = LEAST_OVERLAP) -> float:
    """Frames a second, below which a tracker by overlap loses an object; speed and width in one unit."""
    return speed / (largest_shift(least_overlap) * width)


@dataclass(frozen=True, slots=True)
class Room:
    """The room on one side of a line: how far the picture's edge is, and how far it must be. `side`: A or B, where
    objects come from.
    """

    region: str
    side: str
    has_px: float
    needs_px: float
    speed_px_s: float
    size_px: float

    @property
    def enough(self) -> bool:
        return self.has_px >= self.needs_px

    def as_dict(self) -> dict[str, Any]:
        return asdict(self) | {"enough": self.enough}


def room(tracks: Tracks, region: ObjectRegion, dials: CrossingDials | CountDials) -> list[Room]:
    """Both sides of a line. Nothing where the picture's size or rate is not known, or too few objects came near."""
    if tracks.frame_px is None or tracks.fps is None or len(tracks) == 0:
        return []
    key = ("traffic", region.points, dials.anchor, dials.gap_s)
    traffic = tracks.remember(key, lambda: _traffic(tracks, region, dials))
    if traffic is None:
        return []
    a, b = line_of(region)
    out = []
    for side, outwards in _sides(a, b):
        needs = edge_distance(traffic.trail_px[side], traffic.speed_px_s, tracks.fps, dials.band, frames=CONFIRMATIONS)
        has = _to_edge(a, b, outwards, tracks.frame_px)
        out.append(Room(region.name, side, has, needs, traffic.speed_px_s, traffic.size_px))
    return out


@dataclass(frozen=True, slots=True)
class _Traffic:
    """How fast and how large what passes a line is: of the fastest and largest but a few; `trail_px` by side, behind the anchor."""

    speed_px_s: float
    size_px: float
    trail_px: dict[str, float]


def _sides(a: Point, b: Point) -> tuple[tuple[str, Floats], tuple[str, Floats]]:
    """Each side's name with the unit vector that leads away from the line."""
    normal = np.array([-(b[1] - a[1]), b[0] - a[0]]) / math.dist(a, b)  # towards B
    return ("A", -normal), ("B", normal)


def _traffic(tracks: Tracks, region: ObjectRegion, dials: CrossingDials | CountDials) -> _Traffic | None:
    assert tracks.frame_px is not None
    a, b = line_of(region)
    s = beside_line(tracks, dials, region).s
    near = np.flatnonzero(np.abs(s) < 0.4 * min(tracks.frame_px))
    near = near[:: max(near.size // PLENTY, 1)]
    seen = tracks.only(near)
    near, seen = near[~seen.cut_off()], seen.only(~seen.cut_off())
    if np.unique(seen.object).size < LEAST_OBJECTS:
        return None
    speeds = _speeds_across(tracks, s, near)
    if speeds.size == 0:
        return None
    points = seen.anchors(dials.anchor)
    reach = {side: _reach(seen, points, outwards) for side, outwards in _sides(a, b)}
    return _Traffic(
        float(np.quantile(speeds, LARGEST)),
        float(np.quantile(reach["A"] + reach["B"], LARGEST)),
        {side: float(np.quantile(each, LARGEST)) for side, each in reach.items()},
    )


def _speeds_across(tracks: Tracks, s: Floats, near: Any) -> Floats:
    """(k,): px/s towards or away from the line, over half a second, so that jitter is no speed."""
    assert tracks.fps is not None
    span = max(int(tracks.fps / 2), 1)
    later = near[near + span < len(tracks)]
    later = later[tracks.object[later + span] == tracks.object[later]]
    took = tracks.t_s[later + span] - tracks.t_s[later]
    return np.asarray(np.abs(s[later + span] - s[later]) / took)


def _reach(tracks: Tracks, points: Floats, way: Floats) -> Floats:
    """(n,): how far each box reaches from its anchor in a direction."""
    left, top, width, height = tracks.box.T
    x, y = points.T
    across = np.where(way[0] > 0, left + width - x, x - left) * abs(way[0])
    down = np.where(way[1] > 0, top + height - y, y - top) * abs(way[1])
    return np.asarray(across + down)


def _to_edge(a: Point, b: Point, way: Floats, frame_px: tuple[int, int]) -> float:
    """Return how far it is from the nearest of the line's points, going straight away from it, to the
    picture's edge.
    """
    found = math.inf
    for x, y in (a, b, ((a[0] + b[0]) / 2, (a[1] + b[1]) / 2)):
        for at, step, size in ((x, way[0], frame_px[0]), (y, way[1], frame_px[1])):
            if abs(step) > 1e-9:
                found = min(found, max((size - at) / step if step > 0 else at / -step, 0.0))
    return found


def placement_cautions(tracks: Tracks, regions: Sequence[ObjectRegion], dials: CrossingDials | CountDials) -> list[str]:
    """Return what is wrong with where lines lie, with both figures."""
    return [
        f"{r.region}: the picture's edge is {r.has_px:.0f} px away on side {r.side}, and objects of {r.size_px:.0f} px at "
        f"{r.speed_px_s:.0f} px/s need {r.needs_px:.0f} px to be wholly in view before they cross"
        for region in regions
        for r in room(tracks, region, dials)
        if not r.enough
    ]
