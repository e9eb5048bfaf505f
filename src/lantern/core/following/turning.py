"""A head that is none, for takes: it turns as fast as it may, a command late, and its lens zooms as fast as it may."""

from __future__ import annotations

import math
from collections import deque
from dataclasses import dataclass, field

from lantern.core.ptz.head import TURN_DEG, Head, shortest

ZOOM_S = 3.0  # from one end of the zoom to the other; common practice, no source
STILL = 1e-6


@dataclass
class Axis:
    """`at` and `speed` now; it may move at `most` at most, and changes that by `acceleration` a second."""

    most: float
    acceleration: float
    at: float = 0.0
    speed: float = 0.0

    def step(self, left: float, dt: float) -> None:
        """Move on for `dt` towards a goal that is so far away."""
        if abs(left) < STILL and abs(self.speed) < STILL:
            self.speed = 0.0
            return
        # as fast as it may still stop from, were it to go so for this step
        change = self.acceleration * dt
        wanted = min(
            self.most, math.sqrt(change * change / 4 + 2 * self.acceleration * abs(left)) - change / 2, abs(left) / dt
        )
        wanted = math.copysign(wanted, left)
        self.speed += min(max(wanted - self.speed, -change), change)
        self.at += self.speed * dt


@dataclass
class Turning:
    """Directions of the site; `zoom` from 1 on. Commands count `latency_s` after they were given."""

    head: Head
    pan_deg: float
    tilt_deg: float
    zoom: float = 1.0
    given: deque[tuple[float, float, float, float]] = field(default_factory=deque)

    def __post_init__(self) -> None:
        speed, acceleration = self.head.speed_deg_s, self.head.acceleration_deg_s2
        self._pan = Axis(speed, acceleration, self.pan_deg)
        self._tilt = Axis(speed, acceleration, self.tilt_deg)
        self._zoom_rate = math.log(max(self.head.zoom_max, 1.001)) / ZOOM_S
        self._zoom = math.log(self.zoom)
        self._goal = (self.pan_deg, self.tilt_deg, 0.0)

    def command(self, t: float, pan_deg: float, tilt_deg: float, zoom: float) -> None:
        self.given.append((t + self.head.latency_s, pan_deg, tilt_deg, math.log(zoom)))

    def advance(self, t: float, dt: float) -> None:
        """Move on for `dt`, up to `t`."""
        while self.given and self.given[0][0] <= t + 1e-9:
            self._goal = self.given.popleft()[1:]
        pan, tilt, zoom = self._goal
        self._pan.step(self.head.pan_way(self._pan.at % TURN_DEG, pan), dt)
        self._tilt.step(tilt - self._tilt.at, dt)
        most = self._zoom_rate * dt
        self._zoom += min(max(zoom - self._zoom, -most), most)
        self.pan_deg, self.tilt_deg = self._pan.at % TURN_DEG, self._tilt.at
        self.zoom = math.exp(self._zoom)

    @property
    def rests(self) -> bool:
        pan, tilt, zoom = self._goal
        near = abs(shortest(self.pan_deg, pan)) < 0.01 and abs(self.tilt_deg - tilt) < 0.01
        return not self.given and near and abs(self._zoom - zoom) < 1e-3 and abs(self._pan.speed) < 0.01
