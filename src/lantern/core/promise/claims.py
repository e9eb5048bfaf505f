"""What geometry promises of each device on a plan, held against what the plan wishes of it, with cures that are solved.

A claim is one figure: of an aim of the plan, or of a line that a detector has. A cure changes one quantity of the mount or of
the aim, the least that meets the wish.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np
import shapely

from lantern.core.optics import curing
from lantern.core.optics.coverage import Wall, covered
from lantern.core.optics.grades import EDITIONS
from lantern.core.optics.mount import Mount
from lantern.core.optics.prediction import Asked, PlateAsked, predict
from lantern.core.optics.verdicts import OFTEN, Wish, Word
from lantern.core.promise import overhead, radar, sound
from lantern.core.promise.claim import Claim, Remedy, Stood, least
from lantern.core.promise.plan import Aim, Plan
from lantern.core.promise.radar import Radar
from lantern.core.promise.sound import Speaker

MOST_MOVE_M = 40


def claims(stood: Stood, plan: Plan, others: Sequence[Stood] = (), *, cured: bool = True) -> list[Claim]:
    """Return what the plan's aims for a device, and its lines, promise; those that fail first."""
    out: list[Claim] = []
    for aim in plan.aims:
        if aim.device == stood.code:
            out += _of_aim(stood, aim, plan, others, cured)
    if isinstance(stood.mount, Mount):
        out += [_of_line(stood, stood.mount, name, line) for name, line in stood.lines.items()]
    order = {"fail": 0, "marginal": 1, "pass": 2}
    return sorted(out, key=lambda claim: order[claim.verdict])


def _of_aim(stood: Stood, aim: Aim, plan: Plan, others: Sequence[Stood], cured: bool) -> list[Claim]:
    mount = stood.mount
    if isinstance(mount, Mount) and aim.what in ("reading", "likeness"):
        return _of_capture(stood, mount, aim, plan, cured)
    if isinstance(mount, Mount) and aim.what == "density":
        return [_of_density(stood, mount, aim, plan, cured)]
    if isinstance(mount, Radar) and aim.what == "walk":
        return [_of_walk(stood, mount, aim, plan, cured)]
    if isinstance(mount, Speaker) and aim.what == "hearing":
        return [_of_hearing(stood, mount, aim, plan, others, cured)]
    wish = Wish("fits", 1, "", True, OFTEN)
    reason = f"{stood.code} is no device for {aim.what}: give the aim to another"
    return [Claim(stood.code, "fits", aim.name, None, wish, "fail", reason, aim.name)]


# ---- cameras ---------------------------------------------------------------------------------------------------------


def asked_of(aim: Aim) -> Asked:
    """What an aim of a camera asks of geometry."""
    plate = None
    if aim.what == "reading":
        plate = PlateAsked(
            aim.heading_deg, aim.char_mm, aim.stroke_mm, aim.speed_kmh, aim.shutter_s, aim.fps, aim.depth_m
        )
    return Asked(aim.point, plate, aim.what == "likeness")


def _of_capture(stood: Stood, mount: Mount, aim: Aim, plan: Plan, cured: bool) -> list[Claim]:
    asked = asked_of(aim)
    prediction = predict(mount, asked)
    hidden = _hidden(mount, aim, plan.walls)
    out = []
    for name, judged in prediction.judged.items():
        reason = _reason(name, judged.value, prediction.figures, aim)
        if prediction.figures["pixel"] is None:
            reason = f"{aim.name} is not in its picture"
        elif hidden:
            reason = f"{hidden} stands in the way"
        verdict: Word = "fail" if hidden or prediction.figures["pixel"] is None else judged.word
        remedies = _camera_remedies(mount, asked, name) if cured and verdict != "pass" and not hidden else []
        out.append(
            Claim(stood.code, name, judged.wish.label, judged.value, judged.wish, verdict, reason, aim.name, remedies)
        )
    return out


def _reason(name: str, value: float | None, figures: Mapping[str, Any], aim: Aim) -> str:
    if value is None:
        return f"{aim.name} is behind the camera"
    if name in ("char_px", "stroke_px", "eyes_px"):
        return f"{figures['across_px_per_m']:.0f} px/m at {figures['depth_m']:.1f} m along the axis"
    if name == "blur_px":
        return f"{aim.speed_kmh:g} km/h in {aim.shutter_s:g} s"
    if name == "frames":
        return f"{aim.depth_m:g} m at {aim.speed_kmh:g} km/h, {aim.fps:g} a second"
    return f"seen from {figures['range_m']:.1f} m away"


def _camera_remedies(mount: Mount, asked: Asked, name: str) -> list[Remedy]:
    out = []
    for cure in curing.cures(mount, asked, name)[:3]:
        changed = cure.scene[0]
        keys = ("x_m", "y_m", "height_m", "azimuth_deg", "tilt_deg", "roll_deg", "focal_mm")
        moved = {key: getattr(changed, key) for key in keys if getattr(changed, key) != getattr(mount, key)}
        aim = {} if cure.quantity.name in Mount.model_fields else {cure.quantity.name: cure.after}
        out.append(Remedy(cure.text, {key: round(value, 3) for key, value in moved.items()}, aim))
    return out


def _hidden(mount: Mount, aim: Aim, walls: Sequence[Wall]) -> str:
    """What stands between a camera and a point, in a word; empty: nothing."""
    x, y, z = aim.point
    seen = covered(mount, walls, z).shadow
    return "a wall" if not seen.is_empty and shapely.intersects(seen, shapely.Point(x, y).buffer(1e-6)) else ""


def _of_density(stood: Stood, mount: Mount, aim: Aim, plan: Plan, cured: bool) -> Claim:
    wish = Wish(
        "density", aim.px_per_m or EDITIONS[plan.edition].grades[0][1], "px/m", True, EDITIONS[plan.edition].source
    )

    def weakest(held: Mount) -> float | None:
        values = [predict(held, Asked((x, y, aim.height_m))).figures for x, y, *_ in aim.points]
        inside = [v["across_px_per_m"] for v in values if v["pixel"] is not None]
        return min(inside) if len(inside) == len(values) else None

    value = weakest(mount)
    hidden = any(_hidden(mount, aim.model_copy(update={"points": (point,)}), plan.walls) for point in aim.points)
    verdict: Word = "fail" if value is None or hidden else wish.word(value)
    reason = (
        "part of it is not in the picture"
        if value is None
        else "a wall hides part of it"
        if hidden
        else "at its weakest corner"
    )
    remedies: list[Remedy] = []
    if cured and verdict != "pass" and not hidden:
        found = least(mount.focal_mm, 1.0, 200.0, lambda f: weakest(mount.model_copy(update={"focal_mm": f})), wish, 1)
        if found is not None:
            remedies.append(Remedy(f"focal length {found:g} mm instead of {mount.focal_mm:g} mm", {"focal_mm": found}))
    return Claim(stood.code, "density", aim.name, value, wish, verdict, reason, aim.name, remedies)


def _of_line(stood: Stood, mount: Mount, name: str, line: Sequence[Sequence[float]]) -> Claim:
    fps = stood.fps or 10.0
    needed = overhead.needed_for_walkers_px(mount, fps)
    room = overhead.room_of_line_px(line, mount.pixels)
    wish = Wish("room_px", round(needed), "px", True, OFTEN)
    verdict = wish.word(room)
    reason = f"{room:.0f} px from the picture's edge; who walks needs {needed:.0f} px to be whole and confirmed"
    remedies = []
    if verdict != "pass":
        width, height = mount.pixels
        if needed * 2 <= min(width, height):
            remedies.append(Remedy(f"move the line of {name} {needed - room:.0f} px away from the edge, on its bench"))
        mounted = least(
            mount.height_m, 2.0, 12.0,
            lambda h: room / overhead.needed_for_walkers_px(mount.model_copy(update={"height_m": h}), fps),
            Wish("share", 1, "", True, OFTEN), 2,
        )  # fmt: skip
        if mounted is not None:
            text = f"height {mounted:g} m instead of {mount.height_m:g} m, and the line drawn anew where it lies now"
            remedies.append(Remedy(text, {"height_m": mounted}))
    return Claim(stood.code, "room_px", f"Room of the line {name}", room, wish, verdict, reason, None, remedies)


# ---- radars ----------------------------------------------------------------------------------------------------------


def _of_walk(stood: Stood, mount: Radar, aim: Aim, plan: Plan, cured: bool) -> Claim:
    speed_mps = (aim.speed_kmh or overhead.WALK_MPS * 3.6) / 3.6
    wish = Wish("blind_s", aim.blind_s, "s", False, OFTEN)

    def crossed(held: Radar) -> radar.Crossing:
        return radar.crossing(held, aim.points, speed_mps, radar.reach(held, plan.occluders))

    now = crossed(mount)
    value = now.longest_s(speed_mps)
    verdict = wish.word(value)
    blind_m = max((end - start for start, end in now.blind), default=0.0)
    reason = f"at {speed_mps:.1f} m/s {blind_m:.1f} m of the way run across the beam; {now.in_reach_m:.0f} of {now.length_m:.0f} m are in reach"
    if now.in_reach_m < 1e-9:
        verdict, reason = "fail", "the way is out of its reach"
    remedies = []
    if cured and verdict != "pass" and now.in_reach_m > 0:
        found = _least_move(mount, aim, crossed, wish, speed_mps)
        if found is not None:
            far = math.hypot(found.x_m - mount.x_m, found.y_m - mount.y_m)
            text = f"move it {far:.1f} m to x {found.x_m:g}, y {found.y_m:g}, turned to {found.azimuth_deg:.0f}°"
            remedies.append(Remedy(text, {"x_m": found.x_m, "y_m": found.y_m, "azimuth_deg": found.azimuth_deg}))
    return Claim(stood.code, "blind_s", f"Unseen on {aim.name}", value, wish, verdict, reason, aim.name, remedies)


def _least_move(
    mount: Radar, aim: Aim, crossed: Callable[[Radar], radar.Crossing], wish: Wish, speed_mps: float
) -> Radar | None:
    """The nearest other place, of 24 ways and by half metres, from which the path is nowhere unseen for too long, turned so that as
    much of it as before is in reach: turning the path out of the sector is no cure.
    """
    least_m = crossed(mount).in_reach_m - 1e-6
    middle = shapely.LineString([point[:2] for point in aim.points]).interpolate(0.5, normalized=True).coords[0]
    for step in range(1, 2 * MOST_MOVE_M + 1):
        for way in range(24):
            angle = way * math.pi / 12
            x, y = (round(mount.x_m + step / 2 * math.sin(angle), 2), round(mount.y_m + step / 2 * math.cos(angle), 2))
            held = mount.model_copy(update={"x_m": x, "y_m": y})
            if wish.word(radar.longest_anywhere_s(held, aim.points, speed_mps)) != "pass":
                continue
            towards = math.degrees(math.atan2(middle[0] - x, middle[1] - y))
            turns = [mount.azimuth_deg, *(round(towards + turn) % 360 for turn in sorted(range(-60, 61, 10), key=abs))]
            for azimuth in turns:
                turned = held.model_copy(update={"azimuth_deg": float(azimuth)})
                if crossed(turned).in_reach_m >= least_m:
                    return turned
    return None


# ---- speakers --------------------------------------------------------------------------------------------------------


def _of_hearing(stood: Stood, mount: Speaker, aim: Aim, plan: Plan, others: Sequence[Stood], cured: bool) -> Claim:
    ambient = plan.ambient_db(aim.place, aim.hour)
    goal = sound.needed_db(ambient if ambient is not None else 0.0)
    wish = Wish("level_db", goal, "dB", True, "ISO 7731:2003, from memory")
    rest = [each.mount for each in others if isinstance(each.mount, Speaker) and each.code != stood.code]
    point = (*aim.points[0], sound.EAR_M)[:3]

    def level(watts: float) -> float:
        held = mount.model_copy(update={"watts": watts})
        return sound.together_db([sound.level_db(each, point, plan.walls) for each in (held, *rest)])

    value = level(mount.watts)
    at = f"{int(aim.hour):02}:{int(aim.hour % 1 * 60):02}"
    around = (
        f"{ambient:g} dB(A) around at {at}" if ambient is not None else f"nothing is said of how loud it is at {at}"
    )
    distance = float(np.linalg.norm(np.array(point) - mount.eye))
    reason = f"{around}; {distance:.0f} m away{', with the other speakers' if rest else ''}"
    verdict = wish.word(value)
    remedies = []
    if cured and verdict != "pass":
        watts = least(mount.watts, 0.1, 500.0, level, wish, 1)
        if watts is not None:
            remedies.append(Remedy(f"{watts:g} W instead of {mount.watts:g} W", {"watts": watts}))
        closer = _closer(mount, point, lambda held: sound.level_db(held, point, plan.walls), goal)
        if closer is not None:
            far = math.hypot(closer.x_m - mount.x_m, closer.y_m - mount.y_m)
            text = f"move it {far:.1f} m towards {aim.name}, to x {closer.x_m:g}, y {closer.y_m:g}"
            remedies.append(Remedy(text, {"x_m": closer.x_m, "y_m": closer.y_m}))
    return Claim(stood.code, "level_db", f"Level at {aim.name}", value, wish, verdict, reason, aim.name, remedies)


def _closer(mount: Speaker, point: Sequence[float], level: Callable[[Speaker], float], goal: float) -> Speaker | None:
    """The first place on the way to the point from which it is loud enough."""
    for share in np.linspace(0, 0.98, 99):
        x, y = (mount.x_m + (point[0] - mount.x_m) * share, mount.y_m + (point[1] - mount.y_m) * share)
        held = mount.model_copy(update={"x_m": round(float(x), 2), "y_m": round(float(y), 2)})
        if level(held) >= goal:
            return held
    return None
