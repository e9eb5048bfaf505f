"""A camera that looks straight down, from the side and across its picture: how wide it sees, and who passes beneath it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from lantern.core.optics.mount import Mount
from lantern.core.promise import overhead
from lantern.core.promise.plan import Aim

MARGIN = 1.2
PLACES = 80


@dataclass(frozen=True)
class Lane:
    """A way between two points that somebody must be seen on: where it begins and ends beside the camera, in m to its right."""

    name: str
    begins_m: float
    ends_m: float
    seen_m: tuple[float, float]  # of it, at a shoulder, from where to where; twice the same where none is


@dataclass(frozen=True)
class Beneath:
    """Widths in m across the picture; places in m to the right of the camera."""

    height_m: float
    floor_m: float
    shoulder_m: float | None  # None: it hangs below one
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
    floor = overhead.footprint_m(mount, 0.0)
    shoulder = overhead.footprint_m(mount, overhead.SHOULDER_M)
    assert floor is not None  # a mount hangs above the ground
    lanes = [_lane(mount, aim.name, aim.points[0][:2], aim.points[-1][:2]) for aim in aims if len(aim.points) > 1]
    farthest = max([floor[0] / 2, *(abs(at) for lane in lanes for at in (lane.begins_m, lane.ends_m))])
    half_m = farthest * MARGIN
    return Beneath(
        mount.height_m, floor[0], None if shoulder is None else shoulder[0], lanes, half_m, _someone(mount, half_m)
    )


def _lane(mount: Mount, name: str, one: Sequence[float], other: Sequence[float]) -> Lane:
    begins_m, ends_m = sorted((_aside_m(mount, one), _aside_m(mount, other)))
    seen = overhead.lane_seen(mount, one, other)
    found = [] if seen is None else sorted(_aside_m(mount, end) for end in shapely.get_coordinates(seen))
    return Lane(name, begins_m, ends_m, (found[0], found[-1]) if found else (begins_m, begins_m))


def _aside_m(mount: Mount, point: Sequence[float]) -> float:
    """How far a point lies to the right in the picture."""
    azimuth = math.radians(mount.azimuth_deg)
    return (point[0] - mount.x_m) * math.cos(azimuth) - (point[1] - mount.y_m) * math.sin(azimuth)


def _someone(mount: Mount, half_m: float) -> list[tuple[float, str]]:
    """Whoever stands so far aside: seen with both shoulders, with a part of them, or not."""
    size = overhead.footprint_m(mount, overhead.SHOULDER_M)
    if size is None:
        return []
    seen_m, body_m, scale = size[0] / 2, overhead.BODY_M / 2, overhead.px_per_m(mount)
    out = []
    for at_m in np.linspace(-half_m, half_m, PLACES + 1):
        aside_m = abs(float(at_m))
        if aside_m + body_m <= seen_m:
            words = f"seen whole, {scale:.0f} px/m at the shoulders"
        else:
            words = "seen in part" if aside_m - body_m < seen_m else "not in the picture"
        out.append((round(float(at_m), 2), words))
    return out
