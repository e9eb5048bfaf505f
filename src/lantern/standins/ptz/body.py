"""The mechanics of a PTZ that is none: axes that speed up, brake and settle, a zoom that is not linear, a focus that hunts after it."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

STEP_S = 0.005
SENSOR_MM = (5.37, 3.02)
ZOOM_BEND = 1.35  # its zoom unit against the logarithm of its focal length
BLUR_FOR_ALL_PX = 60.0  # of a focus that is wrong by its whole way
HUNTS_S, BLUR_PX = 1.6, 9.0  # after a zoom has come to rest, and how blurred it is then at first


@dataclass
class Axis:
    """`low`, `high`: where it stops; None: it turns round and round within 360. `at` its place, `speed` now."""

    low: float | None
    high: float | None
    most: float
    acceleration: float
    at: float = 0.0
    speed: float = 0.0
    goal: float | None = None  # a place to go to
    cap: float = math.inf  # how fast it goes there at most
    wanted: float = 0.0  # else a speed to keep

    def go(self, to: float, share: float = 1.0) -> None:
        self.cap = share * self.most
        if self.low is not None and self.high is not None:
            self.goal = min(max(to, self.low), self.high)
        else:
            self.goal = self.at + (to - self.at + 180) % 360 - 180

    def drive(self, share: float) -> None:
        self.goal, self.wanted = None, share * self.most

    def stop(self) -> None:
        self.drive(0.0)

    @property
    def moves(self) -> bool:
        return self.goal is not None or self.wanted != 0.0 or abs(self.speed) > 1e-6

    def step(self, dt: float) -> None:
        wanted = self.wanted
        if self.goal is not None:
            left = self.goal - self.at
            if abs(left) < 1e-4 * self.most and abs(self.speed) <= self.acceleration * dt:
                self.at, self.speed, self.goal, self.wanted = self.goal, 0.0, None, 0.0
                return
            wanted = math.copysign(min(self.most, self.cap, math.sqrt(2 * self.acceleration * abs(left))), left)
        change = self.acceleration * dt
        self.speed += min(max(wanted - self.speed, -change), change)
        self.at += self.speed * dt
        if self.low is not None and self.high is not None and not self.low <= self.at <= self.high:
            self.at, self.speed = min(max(self.at, self.low), self.high), 0.0
            if self.goal is None:
                self.wanted = 0.0


def _pan() -> Axis:
    return Axis(None, None, 120.0, 240.0)


def _tilt() -> Axis:
    return Axis(-20.0, 90.0, 90.0, 200.0)


def _zoom() -> Axis:
    return Axis(0.0, 1.0, 0.6, 3.0)


@dataclass
class Body:
    """Degrees of its own: pan clockwise, tilt down-positive; zoom from 0 to 1. `now_s` is the time up to which it was moved on."""

    wide_mm: float = 6.0
    tele_mm: float = 180.0
    sensor_mm: tuple[float, float] = SENSOR_MM
    settle_s: float = 0.25
    pan: Axis = field(default_factory=_pan)
    tilt: Axis = field(default_factory=_tilt)
    zoom: Axis = field(default_factory=_zoom)
    step_s: float = STEP_S
    now_s: float = 0.0
    until_s: float | None = None  # a continuous move ends then
    focus: float | None = None  # set by hand; None: it finds it by itself
    rested_s: float = -1e9  # since when it has been at rest
    zoomed_s: float = -1e9  # when its zoom came to rest

    @property
    def axes(self) -> tuple[Axis, Axis, Axis]:
        return self.pan, self.tilt, self.zoom

    def advance(self, now_s: float) -> None:
        """Move on to a time."""
        while self.now_s < now_s:
            if self.until_s is None and not self._moves:
                self.now_s = now_s
                return
            dt = min(self.step_s, now_s - self.now_s)
            if self.until_s is not None and self.now_s >= self.until_s:
                self.halt()
            zoomed, moved = self.zoom.moves, self._moves
            for axis in self.axes:
                axis.step(dt)
            self.now_s += dt
            if zoomed and not self.zoom.moves:
                self.zoomed_s = self.now_s
            if moved and not self._moves:
                self.rested_s = self.now_s

    @property
    def _moves(self) -> bool:
        return self.pan.moves or self.tilt.moves or self.zoom.moves

    @property
    def moving(self) -> bool:
        """It moves, or trembles still."""
        return self._moves or self.now_s - self.rested_s < self.settle_s

    def halt(self) -> None:
        self.until_s = None
        for axis in self.axes:
            axis.stop()

    def drive(self, pan: float, tilt_up: float, zoom: float, for_s: float) -> None:
        self.until_s = self.now_s + for_s
        for axis, share in zip(self.axes, (pan, -tilt_up, zoom), strict=True):
            axis.drive(share)

    def go(
        self,
        pan: float | None = None,
        tilt: float | None = None,
        zoom: float | None = None,
        shares: tuple[float, float, float] = (1.0, 1.0, 1.0),
    ) -> None:
        """Go there, each axis at its share of its greatest speed."""
        self.until_s = None
        for axis, to, share in zip(self.axes, (pan, tilt, zoom), shares, strict=True):
            if to is not None:
                axis.go(to, share)

    @property
    def focal_mm(self) -> float:
        share = self.zoom.at**ZOOM_BEND
        return float(self.wide_mm * (self.tele_mm / self.wide_mm) ** share)

    @property
    def sharp_at(self) -> float:
        """The focus at which it is sharp: it moves with the zoom, as lenses do."""
        return 0.3 + 0.4 * self.zoom.at

    @property
    def blur_px(self) -> float:
        """How far out of focus it is: by itself it hunts, once the zoom has come to rest; by hand as far as it was set wrong."""
        if self.focus is not None:
            return min(abs(self.focus - self.sharp_at) * BLUR_FOR_ALL_PX, 2 * BLUR_PX)
        if self.zoom.moves:
            return BLUR_PX
        since = self.now_s - self.zoomed_s
        if since >= HUNTS_S:
            return 0.0
        return abs(BLUR_PX * (1 - since / HUNTS_S) * math.cos(5 * since))
