"""A camera that turns after a target: how far it sees at wide and at full zoom, and how near it can keep up."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Self

import numpy as np
import shapely
from pydantic import Field, model_validator
from shapely.geometry.base import BaseGeometry

from lantern.core.company import Stands
from lantern.core.optics.coverage import Covered, Wall, among
from lantern.core.optics.grades import EDITIONS
from lantern.core.optics.mount import Mount
from lantern.core.optics.verdicts import OFTEN, Wish
from lantern.core.promise.claim import Around, Claim, Remedy, Stood
from lantern.core.promise.plan import Aim
from lantern.core.ptz.head import TURN_DEG, Head
from lantern.core.ptz.pointing import Direction, aimed, out_of_reach
from lantern.core.ptz.standing import head_of, rest_of

NEAREST_M = 0.1  # right beneath it a pan means nothing
ERROR_M = 0.3  # by which the place of a target is out; common practice, no source
KMH = 3.6
STRAIGHT_DOWN_DEG, LEAST_DEG = 90.0, 0.1


class Turning(Mount):
    """A camera on a head that turns. It looks somewhere at rest, and at a target wherever that is."""

    pan_deg_s: float | None = Field(default=None, gt=0, le=2000, description="the fastest that it turns")
    pan_from_deg: float | None = Field(default=None, ge=-360, le=360, description="it turns from there clockwise")
    pan_to_deg: float | None = Field(default=None, ge=-360, le=360, description="up to there; neither: all round")
    tilt_from_deg: float | None = Field(default=None, ge=-90, le=90, description="the highest that it looks")
    tilt_to_deg: float | None = Field(default=None, ge=-90, le=90, description="the farthest down that it looks")

    @model_validator(mode="after")
    def _limits_agree(self) -> Self:
        if (self.pan_from_deg is None) != (self.pan_to_deg is None):
            raise ValueError("pan_from_deg and pan_to_deg: give both, or neither")
        low, high = self.tilt_from_deg, self.tilt_to_deg
        if low is not None and high is not None and low >= high:
            raise ValueError(f"tilt_from_deg {low:g} is not above tilt_to_deg {high:g}")
        return self

    @property
    def head(self) -> Head:
        found = head_of(Stands(self.model_dump(), self.pixels))
        assert found is not None  # a mount has a place and a lens
        return found

    @property
    def rest(self) -> Direction:
        return rest_of(Stands(self.model_dump(), self.pixels))

    @property
    def wide_mm(self) -> float:
        return self.focal_min_mm or self.focal_mm

    @property
    def tele_mm(self) -> float:
        return self.focal_max_mm or self.focal_mm


def least_field_deg(
    target_m: float, speed_mps: float, latency_s: float, away_m: float, error_m: float = ERROR_M
) -> float:
    """The narrowest field that keeps a target in the picture: 2 atan((S/2 + v L + e) / D) (H06)."""
    return math.degrees(2 * math.atan((target_m / 2 + speed_mps * latency_s + error_m) / away_m))


def nearest_m(speed_mps: float, pan_deg_s: float) -> float:
    """The least distance over ground at which a turning head keeps up: v / omega (H07)."""
    return speed_mps / math.radians(pan_deg_s)


def reach_m(mount: Mount, focal_mm: float, px_per_m: float) -> float:
    """Return how far over the ground it has so many px/m when it looks straight at the place; 0: nowhere."""
    slant = mount.pixels[0] * focal_mm / mount.sensor_width_mm / px_per_m
    return math.sqrt(max(slant**2 - mount.height_m**2, 0.0))


def around(mount: Turning, walls: Sequence[Wall], far_m: float, height_m: float = 0.0) -> Covered:
    """Return the ground that it can look at, so far away at most: within its limits, not too near beneath it, and what walls hide of that."""
    head = mount.head
    low, high = head.limits.tilt
    down_m = mount.height_m - height_m
    field: BaseGeometry = shapely.Point(mount.x_m, mount.y_m).buffer(far_m, quad_segs=32)
    if head.limits.pan is not None:
        field = shapely.intersection(field, _between(mount, *head.limits.pan, far_m))
    half = head.field_deg(1.0) / 2  # of its picture some lies below its axis, some above
    if high + half < STRAIGHT_DOWN_DEG and down_m > 0:
        near = max(down_m / math.tan(math.radians(max(high + half, LEAST_DEG))), 0.0)
        field = shapely.difference(field, shapely.Point(mount.x_m, mount.y_m).buffer(near, quad_segs=32))
    if low - half > LEAST_DEG and down_m > 0:
        most = down_m / math.tan(math.radians(low - half))
        field = shapely.intersection(field, shapely.Point(mount.x_m, mount.y_m).buffer(most, quad_segs=32))
    return among(np.array([mount.x_m, mount.y_m, mount.height_m]), walls, height_m, field)


def _between(mount: Turning, first_deg: float, last_deg: float, far_m: float) -> BaseGeometry:
    """A sector from one direction clockwise to another, farther than needed."""
    steps = np.radians(np.linspace(first_deg, last_deg, max(int((last_deg - first_deg) / 2), 2)))
    arc = np.column_stack((np.sin(steps), np.cos(steps))) * far_m * 1.1 + (mount.x_m, mount.y_m)
    if last_deg - first_deg >= TURN_DEG:
        return shapely.Polygon(arc)
    return shapely.Polygon([(mount.x_m, mount.y_m), *arc.tolist()])


def claims(stood: Stood, aim: Aim, around: Around, cured: bool) -> list[Claim]:
    mount = stood.mount
    assert isinstance(mount, Turning)
    eye = shapely.Point(mount.x_m, mount.y_m)
    way = shapely.LineString([p[:2] for p in aim.points]) if len(aim.points) > 1 else shapely.Point(aim.points[0][:2])
    near = float(shapely.distance(eye, way))
    far, at = max((math.dist(p[:2], (mount.x_m, mount.y_m)), (float(p[0]), float(p[1]))) for p in aim.points)
    return [
        *_reached(stood, mount, aim),
        _seen(stood, mount, aim, around, far, at),
        *_kept_up(stood, mount, aim, near),
    ]


def _reached(stood: Stood, mount: Turning, aim: Aim) -> list[Claim]:
    """Return a claim where it cannot look to a place of the aim, and why; nothing where it can look everywhere there."""
    head = mount.head
    for point in aim.points:
        if math.dist(point[:2], (mount.x_m, mount.y_m)) < NEAREST_M:
            continue
        found = aimed(head, _middle(aim, point), height_m=aim.target_m, share=1.0)
        if not found["reachable"]:
            wish = Wish("reach", 0.0, "°", False, OFTEN, label="Looking there")
            at = (float(point[0]), float(point[1]))
            return [Claim(stood.code, wish.name, wish.label, None, wish, "fail", str(found["why"]), aim.name, [], at)]
    return []


def _middle(aim: Aim, point: Sequence[float]) -> tuple[float, float, float]:
    """The middle of a target that stands at a point."""
    up = float(point[2]) if len(point) > 2 else 0.0
    return float(point[0]), float(point[1]), up + aim.target_m / 2


def _seen(stood: Stood, mount: Turning, aim: Aim, around: Around, far: float, at: tuple[float, float]) -> Claim:
    """px/m at the farthest point, as near as it may zoom and still keep the target in the picture."""
    edition = EDITIONS[around.plan.edition]
    wish = Wish(
        "zoomed", aim.px_per_m or edition.grades[0][1], "px/m", True, edition.source, label="Density, zoomed in"
    )
    slant = math.hypot(far, mount.height_m)
    half = math.radians(least_field_deg(aim.target_m, (aim.speed_kmh or 0.0) / KMH, aim.latency_s, slant)) / 2
    kept_mm = mount.sensor_width_mm / (2 * math.tan(half))
    focal_mm = min(mount.tele_mm, kept_mm)
    per_mm = mount.pixels[0] / mount.sensor_width_mm / slant
    value, wide, full = (per_mm * each for each in (focal_mm, mount.wide_mm, mount.tele_mm))
    bound = "its longest" if focal_mm == mount.tele_mm else "more would lose the target"
    there = aimed(mount.head, _middle(aim, at), height_m=aim.target_m, share=1.0, come_from=_at_rest(mount))
    takes = f"; {there['slew_s']:.1f} s from where it rests" if there["slew_s"] is not None else ""
    reason = f"{far:.0f} m away at {focal_mm:.1f} mm ({bound}); {wide:.0f} px/m at wide, {full:.0f} at full zoom{takes}"
    verdict, remedies = wish.word(value), []
    if verdict != "pass":
        needed = math.ceil(wish.with_margin.goal / per_mm * 10) / 10
        if needed <= kept_mm:
            remedies.append(
                Remedy(
                    f"a zoom up to {needed:g} mm instead of {mount.tele_mm:g} mm, {wish.spare}",
                    {"focal_max_mm": needed},
                )
            )
        elif needed <= mount.tele_mm:
            rest = mount.sensor_width_mm / (2 * needed) * slant - aim.target_m / 2 - ERROR_M
            speed = (aim.speed_kmh or 0.0) / KMH
            if rest > 0 and speed > 0:
                latency = math.floor(rest / speed * 100) / 100
                text = f"latency {latency:g} s instead of {aim.latency_s:g} s, {wish.spare}"
                remedies.append(Remedy(text, aim={"latency_s": latency}))
    return Claim(stood.code, wish.name, wish.label, value, wish, verdict, reason, aim.name, remedies, at)


def _at_rest(mount: Turning) -> Direction | None:
    """Where it rests; None: it cannot look there itself."""
    return None if out_of_reach(mount.head, mount.rest) else mount.rest


def _kept_up(stood: Stood, mount: Turning, aim: Aim, near: float) -> list[Claim]:
    """Return how fast the head must turn where the target comes nearest; nothing where a speed or the head's is not
    said.
    """
    if mount.pan_deg_s is None or not aim.speed_kmh:
        return []
    speed_mps = aim.speed_kmh / KMH
    wish = Wish("pan_deg_s", mount.pan_deg_s, "°/s", False, OFTEN, label="Turning after it")
    value = math.degrees(speed_mps / near) if near > 0 else None
    least = nearest_m(speed_mps, mount.pan_deg_s)
    reason = f"{aim.speed_kmh:g} km/h passes {near:.1f} m away; it keeps up from {least:.1f} m on"
    verdict = "fail" if value is None else wish.word(value)
    remedies = []
    if verdict != "pass":
        slower = math.floor(near * math.radians(wish.with_margin.goal) * KMH * 10) / 10
        if slower > 0:
            remedies.append(
                Remedy(
                    f"up to {slower:g} km/h instead of {aim.speed_kmh:g} km/h, {wish.spare}", aim={"speed_kmh": slower}
                )
            )
    return [Claim(stood.code, wish.name, wish.label, value, wish, verdict, reason, aim.name, remedies)]
