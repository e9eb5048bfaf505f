"""Temperatures that are measured: is the target large enough in the picture that a pixel sees nothing but it?"""

from __future__ import annotations

import math

from lantern.core.optics import verdicts
from lantern.core.optics.mount import Mount
from lantern.core.optics.verdicts import Word
from lantern.core.promise.capturing import focus
from lantern.core.promise.claim import Around, Claim, Remedy, Stood, least
from lantern.core.promise.density import hidden_by, view_of
from lantern.core.promise.plan import Aim

SPOT_PX = verdicts.SPOT.goal


def ifov_mrad(pitch_um: float, focal_mm: float) -> float:
    """Return what one pixel sees, in milliradians: pitch / f (D14)."""
    return pitch_um / focal_mm


def smallest_m(ifov: float, range_m: float) -> float:
    """The smallest target that is measured: three pixels each way (D14; common practice, no source). `ifov` in mrad."""
    return SPOT_PX * ifov / 1000 * range_m


def farthest_m(ifov: float, target_m: float) -> float:
    """The distance up to which a target is measured (D15). `ifov` in mrad."""
    return target_m * 1000 / (SPOT_PX * ifov)


def claims(stood: Stood, aim: Aim, around: Around, cured: bool) -> list[Claim]:
    mount = stood.mount
    assert isinstance(mount, Mount)
    view, point = view_of(mount, aim.point)
    range_m = float(view.range_m(point))
    seen = bool(view.inside(view.pixels(point)))
    hidden = hidden_by(mount, aim.point, around.plan)

    def pixels(focal_mm: float) -> float:
        return aim.target_m * 1000 / (ifov_mrad(_pitch_um(mount), focal_mm) * range_m)

    ifov, wish = ifov_mrad(_pitch_um(mount), mount.focal_mm), verdicts.SPOT
    value = pixels(mount.focal_mm)
    verdict: Word = wish.word(value) if seen and not hidden else "fail"
    reason = (
        f"{aim.target_m * 1000:.0f} mm from {range_m:.1f} m; there {smallest_m(ifov, range_m) * 1000:.0f} mm is the smallest that is "
        f"measured, and this one up to {farthest_m(ifov, aim.target_m):.1f} m"
    )
    if not seen or hidden:
        reason = f"{hidden} stands in the way" if hidden else f"{aim.name} is not in its picture"
    remedies = []
    if cured and verdict != "pass" and seen and not hidden:
        focal = least(mount.focal_mm, *mount.zoom_mm, pixels, wish, 1)
        if focal is not None:
            focal_mm, spare = focal
            text = f"focal length {focal_mm:g} mm instead of {mount.focal_mm:g} mm, {spare}"
            remedies.append(Remedy(text, {"focal_mm": focal_mm}))
        share = wish.goal / wish.with_margin.goal
        remedies += _closer(mount, aim, range_m, farthest_m(ifov, aim.target_m) * share, wish.spare)
    found = [Claim(stood.code, wish.name, wish.label, value, wish, verdict, reason, aim.name, remedies)]
    return found + focus(stood, mount, aim, cured)


def _pitch_um(mount: Mount) -> float:
    return mount.sensor_width_mm * 1000 / mount.pixels[0]


def _closer(mount: Mount, aim: Aim, range_m: float, farthest: float, spare: str) -> list[Remedy]:
    """Along the ground towards the target, as far as is needed; nothing where its height alone is too far."""
    x, y, z = aim.point
    rise = mount.height_m - z
    away = math.hypot(x - mount.x_m, y - mount.y_m)
    if farthest <= abs(rise) or away == 0:
        return []
    left = math.sqrt(farthest**2 - rise**2)
    step = math.ceil((away - left) * 100) / 100
    share = step / away
    moved = {"x_m": round(mount.x_m + (x - mount.x_m) * share, 2), "y_m": round(mount.y_m + (y - mount.y_m) * share, 2)}
    turned = math.degrees(math.atan2(rise, away - step)) - math.degrees(math.atan2(rise, away))
    moved["tilt_deg"] = round(min(mount.tilt_deg + turned, 90.0), 1)
    return [Remedy(f"move it {step:g} m towards {aim.name}, tilted to {moved['tilt_deg']:g}°, {spare}", moved)]
