"""People counted across a line or a doorway: room for the line, width of the lane, rate for their speed, depth of two eyes."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from lantern.core.optics.mount import Mount
from lantern.core.optics.verdicts import OFTEN, Wish
from lantern.core.promise import overhead
from lantern.core.promise.claim import Around, Claim, Remedy, Stood, least
from lantern.core.promise.plan import Aim

LANE = Wish("lane_m", 0, "m", True, OFTEN, label="Width that is seen")
DEPTH = Wish("depth_error_m", 0.1, "m", False, OFTEN, label="Error of height")
USUAL_FPS = 10.0
Point2 = tuple[float, float]


def claims(stood: Stood, aim: Aim, around: Around, cured: bool) -> list[Claim]:
    mount = stood.mount
    assert isinstance(mount, Mount)
    out = [_lane(stood, mount, aim, cured), _rate(stood, aim, cured)]
    return out + ([_depth(stood, mount, aim, cured)] if aim.baseline_m is not None else [])


def _lane(stood: Stood, mount: Mount, aim: Aim, cured: bool) -> Claim:
    """Return how much of the doorway, from its first point to its last, is seen at shoulder height."""
    width = math.dist(aim.points[0][:2], aim.points[-1][:2])
    wish = Wish(LANE.name, round(width, 3), "m", True, OFTEN, label=LANE.label)

    def seen(held: Mount) -> float | None:
        return overhead.lane_m(held, aim.points[0][:2], aim.points[-1][:2])

    def seen_beyond(held: Mount) -> float | None:
        """Return the same, and once all of it is seen, how much of a doorway that is a little wider."""
        value = seen(held)
        return (
            overhead.lane_m(held, *_widened(aim, wish)) if value is not None and wish.word(value) == "pass" else value
        )

    value = seen(mount)
    remedies = []
    reason = f"of {width:.2f} m between the ends, at {overhead.SHOULDER_M:g} m above the floor"
    verdict = "fail" if value is None else wish.word(value)
    if value is None:
        reason = f"it hangs below {overhead.SHOULDER_M:g} m"
    if cured and verdict != "pass":
        for key, low, high, digits, words in (
            ("height_m", 2.0, 12.0, 2, "height {:g} m instead of {:g} m"),
            ("focal_mm", *mount.zoom_mm, 1, "focal length {:g} mm instead of {:g} mm"),
        ):
            now = getattr(mount, key)
            found = least(now, low, high, _changed(mount, key, seen_beyond), wish, digits)
            if found is not None and not mount.model_copy(update={key: found[0]}).check():
                remedies.append(Remedy(f"{words.format(found[0], now)}, {found[1]}", {key: found[0]}))
    return Claim(stood.code, wish.name, wish.label, value, wish, verdict, reason, aim.name, remedies)


def _widened(aim: Aim, wish: Wish) -> tuple[Point2, Point2]:
    (x0, y0), (x1, y1) = aim.points[0][:2], aim.points[-1][:2]
    more = (wish.with_margin.goal / wish.goal - 1) / 2
    return (x0 - (x1 - x0) * more, y0 - (y1 - y0) * more), (x1 + (x1 - x0) * more, y1 + (y1 - y0) * more)


def _changed(mount: Mount, key: str, figure: Callable[[Mount], float | None]) -> Callable[[float], float | None]:
    return lambda value: figure(mount.model_copy(update={key: value}))


def _rate(stood: Stood, aim: Aim, cured: bool) -> Claim:
    """Pictures a second against the speed at which somebody passes: their boxes must overlap from one to the next (B07, B08)."""
    speed_mps = aim.speed_kmh / 3.6 if aim.speed_kmh is not None else overhead.WALK_MPS
    needed = overhead.least_fps(speed_mps, overhead.BODY_M)
    wish = Wish("rate_hz", round(needed, 2), "Hz", True, OFTEN, label="Pictures a second")
    value = aim.fps or stood.fps or USUAL_FPS
    reason = (
        f"{speed_mps:.1f} m/s moves {overhead.BODY_M:g} m of somebody by {speed_mps / value / overhead.BODY_M:.0%} of it a picture; "
        f"{overhead.MOST_SHIFT:.0%} keeps boxes together"
    )
    remedies = []
    if cured and wish.word(value) != "pass":
        rate = math.ceil(wish.with_margin.goal * 2) / 2
        text = f"{rate:g} Hz instead of {value:g} Hz, {wish.spare}"
        by_hand = "" if aim.fps else "set at the device, and on its page"
        remedies.append(Remedy(text, aim={"fps": rate} if aim.fps else {}, by_hand=by_hand))
    return Claim(stood.code, wish.name, wish.label, value, wish, wish.word(value), reason, aim.name, remedies)


def _depth(stood: Stood, mount: Mount, aim: Aim, cured: bool) -> Claim:
    """The error of a stereo counter's heights at shoulder height, for a quarter of a pixel of disparity (C10)."""
    assert aim.baseline_m is not None
    baseline_m = aim.baseline_m

    def error(height_m: float) -> float | None:
        away = height_m - overhead.SHOULDER_M
        return overhead.depth_error_m(away, mount.f_px, baseline_m) if away > 0 else None

    value = error(mount.height_m)
    verdict = "fail" if value is None else DEPTH.word(value)
    remedies = []
    if cured and verdict != "pass":
        found = least(mount.height_m, 2.0, 12.0, error, DEPTH, 2)
        if found is not None:
            height_m, spare = found
            text = f"height {height_m:g} m instead of {mount.height_m:g} m, {spare}"
            remedies.append(Remedy(text, {"height_m": height_m}))
    reason = f"at {overhead.SHOULDER_M:g} m, eyes {baseline_m * 1000:.0f} mm apart, {overhead.DISPARITY_PX:g} px of disparity"
    return Claim(stood.code, DEPTH.name, DEPTH.label, value, DEPTH, verdict, reason, aim.name, remedies)


# ---- lines that detectors have ---------------------------------------------------------------------------------------


def of_lines(stood: Stood) -> list[Claim]:
    """Whether each line lies far enough from the picture's edge that who comes is whole and confirmed before it (B05)."""
    if not isinstance(stood.mount, Mount):
        return []
    return [_of_line(stood, stood.mount, name, line) for name, line in stood.lines.items()]


def _of_line(stood: Stood, mount: Mount, name: str, line: Sequence[Sequence[float]]) -> Claim:
    fps = stood.fps or USUAL_FPS
    needed = overhead.needed_for_walkers_px(mount, fps, line)
    room = overhead.room_of_line_px(line, mount.pixels)
    label = f"Room of the line {name}"
    if needed is None:
        wish = Wish("room_px", 1, "px", True, OFTEN)
        reason = "the line lies above the horizon of this mount: nobody walks there"
        return Claim(stood.code, "room_px", label, room, wish, "fail", reason)
    wish = Wish("room_px", round(needed), "px", True, OFTEN)
    verdict = wish.word(room)
    reason = f"{room:.0f} px from the picture's edge; who walks needs {needed:.0f} px to be whole and confirmed"
    remedies = []
    if verdict != "pass":
        if needed * 2 <= min(mount.pixels):
            far = wish.with_margin.goal - room
            text = f"move the line of {name} {far:.0f} px away from the edge, {wish.spare}"
            remedies.append(Remedy(text, by_hand=f"drawn on the bench of {name}"))

        def share(height_m: float) -> float | None:
            then = overhead.needed_for_walkers_px(mount.model_copy(update={"height_m": height_m}), fps, line)
            return room / then if then else None

        mounted = least(mount.height_m, 2.0, 12.0, share, Wish("share", 1, "", True, OFTEN), 2)
        if mounted is not None:
            height_m, spare = mounted
            text = f"height {height_m:g} m instead of {mount.height_m:g} m, {spare}, and the line drawn anew where it lies now"
            remedies.append(Remedy(text, {"height_m": height_m}))
    return Claim(stood.code, "room_px", label, room, wish, verdict, reason, None, remedies)
