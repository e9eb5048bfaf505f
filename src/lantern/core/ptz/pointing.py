"""Where a head must point to look at a place, how far it must zoom, and how long it takes to get there."""

from __future__ import annotations

import math
from typing import Any, NamedTuple

from lantern.core.faults import Fault, Refused
from lantern.core.ptz.head import TURN_DEG, Head

Place = tuple[float, float, float]


class Direction(NamedTuple):
    """`pan_deg` clockwise from north, 0 to 360; `tilt_deg` down-positive."""

    pan_deg: float
    tilt_deg: float

    @property
    def vector(self) -> Place:
        """x east, y north, z up, of length 1."""
        pan, tilt = math.radians(self.pan_deg), math.radians(self.tilt_deg)
        return math.sin(pan) * math.cos(tilt), math.cos(pan) * math.cos(tilt), -math.sin(tilt)


def towards(head: Head, at: Place) -> Direction:
    """Return the direction from a head to a place (H01)."""
    east, north, down = at[0] - head.x_m, at[1] - head.y_m, head.height_m - at[2]
    pan = math.degrees(math.atan2(east, north)) % TURN_DEG
    return Direction(0.0 if pan >= TURN_DEG else pan, math.degrees(math.atan2(down, math.hypot(east, north))))


def slew_s(head: Head, come_from: Direction, to: Direction) -> float:
    """The slower of both axes, and settling."""
    pan_s = head.turn_s(head.pan_way(come_from.pan_deg, to.pan_deg))
    return max(pan_s, head.turn_s(to.tilt_deg - come_from.tilt_deg)) + head.settle_s


def aimed(
    head: Head, at: Place, *, height_m: float, share: float, come_from: Direction | None = None
) -> dict[str, Any]:
    """Return how a head looks at a place, so that a target of that height fills a share of the picture's. `come_from`: where it looks
    before. Raises `Refused` for a place at the head itself, and where it cannot look from.
    """
    distance = math.dist((head.x_m, head.y_m, head.height_m), at)
    if distance == 0:
        raise Refused([Fault("--at", "is where the head itself is", "another place")])
    to = towards(head, at)
    wanted = 2 * distance * math.tan(math.radians(head.fov_wide_deg) / 2) * share / height_m
    zoom = min(max(wanted, 1.0), head.zoom_max)
    why = out_of_reach(head, to)
    if come_from is not None and (wrong := out_of_reach(head, come_from)):
        raise Refused([Fault("--from", wrong, "where it can look")])
    takes = None if come_from is None or why else slew_s(head, come_from, to)
    return {
        "pan_deg": to.pan_deg,
        "tilt_deg": to.tilt_deg,
        "own_pan_deg": head.own_pan(to.pan_deg) % TURN_DEG,
        "distance_m": distance,
        "zoom": zoom,
        "clipped": zoom != wanted,
        "field_deg": head.field_deg(zoom),
        "slew_s": takes,
        "reachable": not why,
        "why": why or None,
    }


def out_of_reach(head: Head, to: Direction) -> str:
    """Return why it cannot look there; empty: it can."""
    if not head.may_pan(to.pan_deg):
        assert head.limits.pan is not None
        first, last = head.limits.pan
        return f"its own pan would be {head.own_pan(to.pan_deg) % TURN_DEG:.1f}°, beyond its limits, {first:g} to {last:g}°"
    if not head.may_tilt(to.tilt_deg):
        low, high = head.limits.tilt
        return f"its tilt would be {to.tilt_deg:.1f}°, beyond its limits, {low:g} to {high:g}°"
    return ""
