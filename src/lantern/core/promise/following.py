"""A camera that turns after a target: how far it sees at wide and at full zoom, and how near it can keep up."""

from __future__ import annotations

import math

import shapely
from pydantic import Field

from lantern.core.optics.grades import EDITIONS
from lantern.core.optics.mount import Mount
from lantern.core.optics.verdicts import OFTEN, Wish
from lantern.core.promise.claim import Around, Claim, Remedy, Stood
from lantern.core.promise.plan import Aim

ERROR_M = 0.3  # by which the place of a target is out; common practice, no source
KMH = 3.6


class Turning(Mount):
    """A camera on a head that turns. It looks somewhere at rest, and at a target wherever that is."""

    pan_deg_s: float | None = Field(default=None, gt=0, le=2000, description="the fastest that it turns")

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


def claims(stood: Stood, aim: Aim, around: Around, cured: bool) -> list[Claim]:
    mount = stood.mount
    assert isinstance(mount, Turning)
    eye = shapely.Point(mount.x_m, mount.y_m)
    way = shapely.LineString([p[:2] for p in aim.points]) if len(aim.points) > 1 else shapely.Point(aim.points[0][:2])
    near = float(shapely.distance(eye, way))
    far, at = max((math.dist(p[:2], (mount.x_m, mount.y_m)), (float(p[0]), float(p[1]))) for p in aim.points)
    return [
        _seen(stood, mount, aim, around, far, at),
        *_kept_up(stood, mount, aim, near),
    ]


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
    reason = f"{far:.0f} m away at {focal_mm:.1f} mm ({bound}); {wide:.0f} px/m at wide, {full:.0f} at full zoom"
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
