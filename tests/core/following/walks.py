"""People who walk over a plan before a head, for tests."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from lantern.core.following.subject import FollowSubject
from lantern.core.kinds import detector_of, judge
from lantern.core.tracks import Tracks, make_tracks

HEAD: dict[str, Any] = {
    "x_m": 0.0, "y_m": 0.0, "height_m": 6.0, "speed_deg_s": 100.0, "acceleration_deg_s2": 300.0, "settle_s": 0.2,
    "fov_wide_deg": 30.0, "zoom_max": 30.0, "latency_s": 0.2,
}  # fmt: skip
Way = Callable[[float], tuple[float, float] | None]


def line(t: float, x0: float, y0: float, x1: float, y1: float, speed: float) -> Way:
    takes = math.dist((x0, y0), (x1, y1)) / speed

    def where(now: float) -> tuple[float, float] | None:
        share = (now - t) / takes
        return (x0 + share * (x1 - x0), y0 + share * (y1 - y0)) if 0 <= share <= 1 else None

    return where


def standing(x: float, y: float, start: float, end: float) -> Way:
    return lambda now: (x, y) if start <= now <= end else None


def tracks(ways: Sequence[Way], length_s: float = 120.0, rate: float = 10.0) -> Tracks:
    rows = [
        (round(n / rate, 6), number, *place)
        for number, way in enumerate(ways)
        for n in range(round(length_s * rate) + 1)
        if (place := way(n / rate)) is not None
    ]
    table = np.array(rows, dtype=np.float64).reshape(-1, 4)
    box = np.column_stack((table[:, 2:], np.zeros((len(rows), 2))))
    return make_tracks(table[:, 0], table[:, 1].astype(np.int64), box, last_s=length_s, on_plan=True)


def subject(
    ways: Sequence[Way], *, head: dict[str, Any] | None = None, length_s: float = 120.0, **document: Any
) -> FollowSubject:
    dials = document.pop("dials", {})
    whole = {"name": "f", "kind": "follow", "head": HEAD | (head or {}), "dials": dials, **document}
    found = judge(detector_of(whole), "plan-tracks", tracks(ways, length_s))
    assert isinstance(found, FollowSubject)
    return found
