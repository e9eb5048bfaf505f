"""A camera that looks straight down, from the side and across its azimuth: how wide it sees, and who passes beneath it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from lantern.core.optics.coverage import field_of
from lantern.core.optics.mount import Mount, View
from lantern.core.promise import overhead
from lantern.core.promise.plan import Aim

Stretch = tuple[float, float]
MARGIN = 1.2
PLACES = 80
LONGEST_M, LEAST_PX_PER_M = 1000.0, 1.0


@dataclass(frozen=True)
class Lane:
    """A way between two points that somebody must be seen on: where it begins and ends beside the camera, in m to its right."""

    name: str
    begins_m: float
    ends_m: float
    seen_m: Stretch  # of it, at a shoulder, from where to where; twice the same where none is


@dataclass(frozen=True)
class Beneath:
    """Places in m to the right of the camera, on the line across its azimuth that its axis meets."""

    height_m: float
    floor_m: Stretch  # of it, seen
    shoulder_m: Stretch | None  # the same at a shoulder; None: it hangs below one
    lanes: Sequence[Lane]
    half_m: float  # to either side, worth showing
    someone: Sequence[tuple[float, str]]  # where, in words how much of them is seen

    def as_dict(self) -> dict[str, Any]:
        return {
            "what": "beneath",
            "height": self.height_m,
            "floor": self.floor_m,
            "shoulder": self.shoulder_m,
            "shoulder_at": overhead.SHOULDER_M,
            "upright": overhead.HEAD_M,
            "lanes": [[lane.name, lane.begins_m, lane.ends_m, *lane.seen_m] for lane in self.lanes],
            "half": self.half_m,
            "someone": [list(each) for each in self.someone],
        }


def beneath(mount: Mount, aims: Sequence[Aim]) -> Beneath:
    """Return the view; `aims`: those of the camera, of which ways have a beginning and an end."""
    floor_m, shoulder_m = _seen_m(mount, 0.0), _seen_m(mount, overhead.SHOULDER_M)
    assert floor_m is not None  # a mount hangs above the ground
    lanes = [_lane(mount, aim.name, aim.points[0][:2], aim.points[-1][:2]) for aim in aims if len(aim.points) > 1]
    ends_m = [*floor_m, *(at for lane in lanes for at in (lane.begins_m, lane.ends_m))]
    half_m = max(abs(at) for at in ends_m) * MARGIN
    return Beneath(mount.height_m, floor_m, shoulder_m, lanes, half_m, _someone(mount, shoulder_m, half_m))


def _seen_m(mount: Mount, above_m: float) -> Stretch | None:
    """Return what of the line lies in the picture at a height; None: the camera hangs below it."""
    if above_m >= mount.height_m:
        return None
    view, azimuth = View(mount), math.radians(mount.azimuth_deg)
    ahead = view.axes[2]
    met = (view.eye + ahead * (mount.height_m - above_m) / -ahead[2])[:2]
    across = np.array([math.cos(azimuth), -math.sin(azimuth)]) * LONGEST_M
    line = shapely.LineString([met - across, met + across])
    seen = shapely.intersection(line, field_of(mount, above_m, least_px_per_m=LEAST_PX_PER_M))
    ends_m = [_aside_m(mount, end) for end in shapely.get_coordinates(seen)]
    return min(ends_m), max(ends_m)


def _lane(mount: Mount, name: str, one: Sequence[float], other: Sequence[float]) -> Lane:
    begins_m, ends_m = sorted((_aside_m(mount, one), _aside_m(mount, other)))
    seen = overhead.lane_seen(mount, one, other)
    found = [] if seen is None else sorted(_aside_m(mount, end) for end in shapely.get_coordinates(seen))
    return Lane(name, begins_m, ends_m, (found[0], found[-1]) if found else (begins_m, begins_m))


def _aside_m(mount: Mount, point: Sequence[float]) -> float:
    """Return how far a point lies to the right in the picture."""
    azimuth = math.radians(mount.azimuth_deg)
    return (point[0] - mount.x_m) * math.cos(azimuth) - (point[1] - mount.y_m) * math.sin(azimuth)


def _someone(mount: Mount, shoulder_m: Stretch | None, half_m: float) -> list[tuple[float, str]]:
    """Whoever stands so far aside: seen with both shoulders, with a part of them, or not."""
    if shoulder_m is None:
        return []
    (left_m, right_m), body_m, scale = shoulder_m, overhead.BODY_M / 2, overhead.px_per_m(mount)
    out = []
    for at_m in np.linspace(-half_m, half_m, PLACES + 1):
        if left_m <= at_m - body_m and at_m + body_m <= right_m:
            words = f"seen whole, {scale:.0f} px/m at the shoulders"
        else:
            words = "seen in part" if left_m < at_m + body_m and at_m - body_m < right_m else "not in the picture"
        out.append((round(float(at_m), 2), words))
    return out
