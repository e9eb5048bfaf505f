"""Plates that are read and faces that are told: what a camera gives at a point, how sharp, and when the sun blinds it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from lantern.core.optics import curing, verdicts
from lantern.core.optics.mount import Mount
from lantern.core.optics.plate import PlateAt, depth_of_field_m, focus_blur_m
from lantern.core.optics.prediction import PlateTarget, Target, predict
from lantern.core.optics.verdicts import Judged, Word
from lantern.core.promise import sunlight
from lantern.core.promise.claim import Around, Claim, Remedy, Stood, least
from lantern.core.promise.density import hidden_by, view_of
from lantern.core.promise.plan import Aim

MOST_CURES = 3
MOVED = ("x_m", "y_m", "height_m", "azimuth_deg", "tilt_deg", "roll_deg", "focal_mm")


def claims(stood: Stood, aim: Aim, around: Around, cured: bool) -> list[Claim]:
    mount = stood.mount
    assert isinstance(mount, Mount)
    asked = target_of(aim)
    prediction = predict(mount, asked)
    hidden = hidden_by(mount, aim.point, around.plan)
    out_of_sight = f"{hidden} stands in the way" if hidden else ""
    if prediction.figures["pixel"] is None:
        out_of_sight = f"{aim.name} is not in its picture"
    out = []
    for name, judged in {**prediction.judged, **_of_face(mount, aim)}.items():
        verdict: Word = "fail" if out_of_sight else judged.word
        remedies = []
        if cured and verdict != "pass" and not hidden and name in prediction.judged:
            remedies = _remedies(mount, asked, name)
        reason = out_of_sight or _reason(name, judged.value, prediction.figures, aim)
        label = judged.wish.label
        out.append(Claim(stood.code, name, label, judged.value, judged.wish, verdict, reason, aim.name, remedies))
    out += focus(stood, mount, aim, cured)
    return out + sunlight.claims(stood, mount, aim, around, cured)


def target_of(aim: Aim) -> Target:
    """Return what an aim of a camera asks of geometry."""
    plate = None
    if aim.what == "reading":
        plate = PlateTarget(
            aim.heading_deg or 0.0, aim.char_mm, aim.stroke_mm, aim.speed_kmh, aim.shutter_s, aim.fps, aim.depth_m
        )
    return Target(aim.point, plate, aim.what == "likeness")


def _of_face(mount: Mount, aim: Aim) -> dict[str, Judged]:
    """Return how a face that looks along the aim's heading is turned to the camera; nothing where no heading
    is said.
    """
    if aim.what != "likeness" or aim.heading_deg is None:
        return {}
    view, point = view_of(mount, aim.point)
    turned = PlateAt(view, point, aim.heading_deg)
    return {
        "yaw_deg": Judged(verdicts.FACE_YAW, turned.incidence_h_deg),
        "pitch_deg": Judged(verdicts.FACE_PITCH, abs(turned.incidence_v_deg)),
    }


def _reason(name: str, value: float | None, figures: Mapping[str, Any], aim: Aim) -> str:
    if value is None:
        return f"{aim.name} is behind the camera"
    if name in ("char_px", "stroke_px", "eyes_px"):
        return f"{figures['across_px_per_m']:.0f} px/m at {figures['depth_m']:.1f} m along the axis"
    if name == "blur_px":
        return f"{aim.speed_kmh:g} km/h in {aim.shutter_s:g} s"
    if name == "frames":
        return f"{aim.depth_m:g} m at {aim.speed_kmh:g} km/h, {aim.fps:g} a second; 3 at up to {figures['max_kmh']:.0f} km/h"
    total = figures.get("incidence_deg")
    in_all = f", {total:.1f}° from straight on in all" if name.startswith("incidence") and total is not None else ""
    return f"seen from {figures['range_m']:.1f} m away{in_all}"


def _remedies(mount: Mount, asked: Target, name: str) -> list[Remedy]:
    out = []
    for cure in curing.cures(mount, asked, name, spared=True)[:MOST_CURES]:
        changed = cure.scene[0]
        moved = {key: getattr(changed, key) for key in MOVED if getattr(changed, key) != getattr(mount, key)}
        aim = {} if cure.quantity.name in Mount.model_fields else {cure.quantity.name: cure.after}
        out.append(Remedy(cure.said, {key: round(value, 3) for key, value in moved.items()}, aim))
    return out


def focus(stood: Stood, mount: Mount, aim: Aim, cured: bool) -> list[Claim]:
    """Return how far the point is out of focus; nothing where the lens's f-number and focus are not said."""
    if mount.f_number is None or mount.focus_m is None:
        return []
    f_number, focus_m = mount.f_number, mount.focus_m
    view, point = view_of(mount, aim.point)
    depth_m = float(view.depth_m(point))
    pitch_mm = mount.sensor_width_mm / mount.pixels[0]
    if depth_m <= 0 or focus_m * 1000 <= mount.focal_mm:
        return []

    def blur_px(at_m: float) -> float:
        return focus_blur_m(mount.focal_mm, f_number, at_m, depth_m) * 1000 / pitch_mm

    value, wish = blur_px(focus_m), verdicts.FOCUS
    near, far = depth_of_field_m(mount.focal_mm, f_number, pitch_mm, focus_m)
    end = "on" if far is None else f"to {far:.1f} m"
    reason = f"focused at {focus_m:g} m it is sharp from {near:.1f} m {end}; this is {depth_m:.1f} m deep"
    remedies = []
    if cured and wish.word(value) != "pass":
        found = least(focus_m, mount.focal_mm / 1000 * 2, 200.0, blur_px, wish, 1)
        if found is not None:
            at_m, spare = found
            remedies.append(Remedy(f"focused at {at_m:g} m instead of {focus_m:g} m, {spare}", {"focus_m": at_m}))
    return [Claim(stood.code, wish.name, wish.label, value, wish, wish.word(value), reason, aim.name, remedies)]
