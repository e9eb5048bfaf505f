"""A head that turns a camera: where it stands, how fast it turns, what its lens sees, and how far it may turn."""

from __future__ import annotations

import math
from typing import Self

from pydantic import Field, model_validator

from lantern.core.modelled import Strict

TURN_DEG = 360.0
NEAR = 1e-9

Range = tuple[float, float]


class Limits(Strict):
    """`pan`: of its own pan, modulo 360, from the first clockwise to the second; None: it turns round and round. `tilt`: down-positive."""

    pan: Range | None = None
    tilt: Range = (-90.0, 90.0)

    @model_validator(mode="after")
    def _upwards(self) -> Self:
        if self.pan is not None and not 0 < self.pan[1] - self.pan[0] <= TURN_DEG:
            raise ValueError(
                f"pan {self.pan[0]:g} to {self.pan[1]:g}: from the first clockwise to the second, one turn at most"
            )
        if not -180 <= self.tilt[0] < self.tilt[1] <= 180:
            raise ValueError(f"tilt {self.tilt[0]:g} to {self.tilt[1]:g}: rising, within -180 to 180")
        return self


class Head(Strict):
    """`pan_offset_deg`: its own pan 0 looks that far clockwise from north. `fov_wide_deg`: vertical, at zoom 1."""

    x_m: float = Field(ge=-1e6, le=1e6)
    y_m: float = Field(ge=-1e6, le=1e6)
    height_m: float = Field(ge=-100, le=1000)
    pan_offset_deg: float = Field(default=0.0, ge=-360, le=360)
    speed_deg_s: float = Field(gt=0, le=2000)
    acceleration_deg_s2: float = Field(gt=0, le=100_000)
    settle_s: float = Field(default=0.0, ge=0, le=60)
    fov_wide_deg: float = Field(ge=0.3, le=120)
    zoom_max: float = Field(ge=1, le=1000)
    latency_s: float = Field(default=0.0, ge=0, le=60)
    limits: Limits = Limits()

    def at_share(self, share: float) -> Self:
        """Return it turning at a share of its greatest speed at most."""
        return self if share >= 1 else self.model_copy(update={"speed_deg_s": self.speed_deg_s * share})

    def turn_s(self, angle_deg: float) -> float:
        """How long a turn of one axis takes from rest to rest, without settling (H12)."""
        return turn_s(angle_deg, self.speed_deg_s, self.acceleration_deg_s2)

    def field_deg(self, zoom: float) -> float:
        """The vertical field at a zoom: 2 atan(tan(fov / 2) / zoom) (H05)."""
        return zoomed_deg(self.fov_wide_deg, zoom)

    def own_pan(self, pan_deg: float) -> float:
        """Return its own pan for a direction of the site, within a turn from the first limit on."""
        first = self.limits.pan[0] if self.limits.pan is not None else 0.0
        turned: float = (pan_deg - self.pan_offset_deg - first) % TURN_DEG
        return first if turned > TURN_DEG - NEAR else first + turned

    def may_pan(self, pan_deg: float) -> bool:
        return self.limits.pan is None or self.own_pan(pan_deg) <= self.limits.pan[1] + NEAR

    def may_tilt(self, tilt_deg: float) -> bool:
        low, high = self.limits.tilt
        return low - NEAR <= tilt_deg <= high + NEAR

    def pan_way(self, from_deg: float, to_deg: float) -> float:
        """Return how far it pans from one direction to another, positive clockwise: the shorter way, unless a limit lies in it."""
        if self.limits.pan is None:
            return shortest(from_deg, to_deg)
        first, last = self.limits.pan
        ways = [b - a for a in self._own(from_deg, first, last) for b in self._own(to_deg, first, last)]
        return min(ways, key=abs)

    def _own(self, pan_deg: float, first: float, last: float) -> list[float]:
        """Its own pan; at a limit where both ends meet it may stand at either."""
        own = self.own_pan(pan_deg)
        return [own, own + TURN_DEG] if own + TURN_DEG <= last + NEAR else [own]


def turn_s(angle_deg: float, speed_deg_s: float, acceleration_deg_s2: float) -> float:
    angle = abs(angle_deg)
    if angle >= speed_deg_s**2 / acceleration_deg_s2:
        return angle / speed_deg_s + speed_deg_s / acceleration_deg_s2
    return 2 * math.sqrt(angle / acceleration_deg_s2)


def zoomed_deg(fov_deg: float, zoom: float) -> float:
    return math.degrees(2 * math.atan(math.tan(math.radians(fov_deg) / 2) / zoom))


def shortest(from_deg: float, to_deg: float) -> float:
    """The shorter way from one direction to another, -180 (included) to 180 (H02)."""
    return (to_deg - from_deg + 180) % TURN_DEG - 180
