"""A head by its mount on the plan: what its document says of it, and what is usual where it says nothing."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from lantern.core.company import Stands
from lantern.core.ptz.head import TURN_DEG, Head, Limits
from lantern.core.ptz.pointing import Direction

USUAL_SPEED_DEG_S, USUAL_ACCELERATION, USUAL_SETTLE_S, USUAL_LATENCY_S = 100.0, 200.0, 0.3, 0.2
USUAL = Head(
    x_m=0.0, y_m=0.0, height_m=6.0, speed_deg_s=USUAL_SPEED_DEG_S, acceleration_deg_s2=USUAL_ACCELERATION,
    settle_s=USUAL_SETTLE_S, fov_wide_deg=28.0, zoom_max=30.0, latency_s=USUAL_LATENCY_S,
)  # fmt: skip
FRAME_PX = (1280, 720)
REST = Direction(0.0, 10.0)


def head_of(stands: Stands) -> Head | None:
    """Return the head of a device, by its mount; None: it stands nowhere on the plan, or its lens is not known."""
    mount: Mapping[str, Any] = stands.mount or {}
    wide, sensor = mount.get("focal_min_mm") or mount.get("focal_mm"), mount.get("sensor_width_mm")
    if not wide or not sensor or "x_m" not in mount:
        return None
    width, height = mount.get("pixels") or stands.pixels or FRAME_PX
    field = float(np.degrees(2 * np.arctan(sensor * height / width / 2 / wide)))
    tele = mount.get("focal_max_mm") or wide
    return Head(
        x_m=mount["x_m"],
        y_m=mount["y_m"],
        height_m=mount["height_m"],
        speed_deg_s=mount.get("pan_deg_s") or USUAL_SPEED_DEG_S,
        acceleration_deg_s2=USUAL_ACCELERATION,
        settle_s=USUAL_SETTLE_S,
        fov_wide_deg=field,
        zoom_max=max(tele / wide, 1.0),
        latency_s=USUAL_LATENCY_S,
        limits=_limits(mount),
    )


def _limits(mount: Mapping[str, Any]) -> Limits:
    """Return the limits of a mount, by directions of the site."""
    first, last = mount.get("pan_from_deg"), mount.get("pan_to_deg")
    pan = None if first is None or last is None else (first, first + ((last - first) % TURN_DEG or TURN_DEG))
    free = Limits().tilt
    low, high = mount.get("tilt_from_deg"), mount.get("tilt_to_deg")
    return Limits(pan=pan, tilt=(free[0] if low is None else low, free[1] if high is None else high))


def rest_of(stands: Stands) -> Direction:
    """Return where a device looks by its mount."""
    mount: Mapping[str, Any] = stands.mount or {}
    return Direction(float(mount.get("azimuth_deg", REST.pan_deg)) % 360, float(mount.get("tilt_deg", REST.tilt_deg)))
