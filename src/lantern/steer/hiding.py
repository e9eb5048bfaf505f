"""What pages show of a head, with its masks drawn in: no picture of it leaves the program without. What is not known for sure is hidden."""

from __future__ import annotations

import io
import math
import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from threading import Lock
from typing import NamedTuple

import numpy as np
import shapely
from cachetools import LRUCache
from PIL import Image, ImageDraw, UnidentifiedImageError
from shapely.geometry.base import BaseGeometry

from lantern.core.faults import Fault, Refused
from lantern.core.ptz.masks import Hides, Mask, bearing, grown_px, hidden, polygons, share, turned_within
from lantern.core.ptz.pointing import Direction
from lantern.core.ptz.sketch import view_of_aim
from lantern.core.ptz.standing import FRAME_PX
from lantern.core.ptz.turned import Pointing
from lantern.core.watch import Aim
from lantern.devices.onvif.ptz import Position, Ptz
from lantern.register.heads import Steered
from lantern.steer.heads import looks, speak

EDGE_PX = 1.0  # more on all sides: a pixel that is cut by an edge is hidden whole
INK = (38, 42, 46)
HELD = 200  # devices
Size = tuple[int, int]


@dataclass
class _Of:
    """Of one device: which of its masks hide now, asked by one thread at a time."""

    hides: Hides = field(default_factory=Hides)
    lock: Lock = field(default_factory=Lock)

    def now(self, masks: Sequence[Mask], zoom: float | None) -> list[Mask]:
        with self.lock:
            return self.hides.now(masks, zoom)


_HELD: LRUCache[int, _Of] = LRUCache(HELD)
_GUARD = Lock()


class Seen(NamedTuple):
    """Where a head looked, s of a clock that only goes on; None: nobody knows where."""

    at_s: float
    aim: Aim | None
    moving: bool


def picture_without(steered: Steered, channel: str) -> bytes:
    """Return what one of its bodies shows now, with what its masks hide; `channel`: the token of a profile, else that which turns."""
    masks, pointing = steered.masks, steered.pointing
    if not masks:
        return speak(steered, "asks", lambda head: head.snapshot(channel or None))

    def ask(head: Ptz) -> tuple[Seen, bytes, Seen, bool]:
        turns = not channel or any(each.token == channel and each.turns for each in head.profiles())
        before = _seen(steered, head.status())
        data = head.snapshot(channel or None)
        return before, data, _seen(steered, head.status()), turns

    before, data, after, turns = speak(steered, "asks", ask)
    try:
        with Image.open(io.BytesIO(data)) as held:
            kind, picture = held.format or "PNG", held.convert("RGB")
    except (UnidentifiedImageError, OSError, Image.DecompressionBombError) as error:
        what = f"sends a picture that cannot be read, and so nothing of it can be hidden: {error}"
        raise Refused([Fault(f"device {steered.code}", what[:300], "a JPEG or PNG")]) from error
    if pointing is None:
        areas = [_whole(picture.size)]
    elif turns:
        areas = _of_head(steered.id, pointing, masks, (before, after), picture.size)
    else:
        areas = _of_body(pointing, masks, channel, picture.size)
    return _without(picture, areas, kind)


def _seen(steered: Steered, position: Position) -> Seen:
    pointing = steered.pointing
    known = pointing is not None and pointing.curve is not None  # of a zoom that nobody measured nothing is known
    return Seen(time.monotonic(), looks(steered, position) if known else None, position.moving)


def hidden_now(steered: Steered, position: Position) -> list[tuple[str, list[list[tuple[float, float]]]]]:
    """Return what its masks hide of a picture that is taken where it looks now, by name; that of all it shows is called so."""
    masks, seen = steered.masks, _seen(steered, position)
    if not masks:
        return []
    if seen.aim is None or steered.pointing is None:
        return [("all of it, for where it looks is not known", polygons(_whole(FRAME_PX)))]
    view = view_of_aim(steered.pointing.head, seen.aim, FRAME_PX)
    held = _now(steered.id, masks, seen.aim.zoom)
    return [(each.name, polygons(hidden(each, [view]))) for each in held]


def shares(pointing: Pointing) -> dict[int, dict[str, float]]:
    """Return by preset how much of its picture each mask hides, 0 to 1; those that hide nothing there are left out."""
    out: dict[int, dict[str, float]] = {}
    if not pointing.is_known or pointing.curve is None:
        return out
    for preset in pointing.turned.presets:
        aim = pointing.aim(preset.pan, preset.tilt, preset.zoom)
        view = view_of_aim(pointing.head, aim, FRAME_PX)
        found = {
            each.name: share([hidden(each, [view])], view) for each in Hides().now(pointing.turned.masks, aim.zoom)
        }
        out[preset.number] = {name: part for name, part in found.items() if part > 0}
    return out


def bearing_now(steered: Steered, position: Position, u_px: float, v_px: float) -> tuple[float, float]:
    """Return which way a pixel of its picture looks. Raises `Refused` while it moves, and where nobody knows where it looks."""
    seen, pointing = _seen(steered, position), steered.pointing
    if seen.moving:
        raise Refused([Fault(f"device {steered.code}", "it moves still", "once it has come to rest")])
    if seen.aim is None or pointing is None:
        what = "is not registered, or its zoom is not measured: what a pixel shows is not known"
        raise Refused([Fault(f"device {steered.code}", what, "three places at least, and its zoom measured")])
    return bearing(view_of_aim(pointing.head, seen.aim, FRAME_PX), u_px, v_px)


def _now(device_id: int, masks: Sequence[Mask], zoom: float | None) -> list[Mask]:
    with _GUARD:
        held = _HELD.setdefault(device_id, _Of())
    return held.now(masks, zoom)


def _whole(size: Size) -> BaseGeometry:
    return shapely.box(0, 0, *size)


def _of_head(
    device_id: int, pointing: Pointing, masks: Sequence[Mask], seen: tuple[Seen, Seen], size: Size
) -> list[BaseGeometry]:
    """What is hidden of a picture taken between two moments at which it was asked where it looks."""
    before, after = seen
    if before.aim is None or after.aim is None:
        return [_whole(size)]
    head = pointing.head
    views = [view_of_aim(head, aim, size) for aim in (before.aim, after.aim)]
    grown = EDGE_PX
    if before.moving or after.moving:
        turned = Pointing.apart_deg(before.aim[:2], after.aim[:2])
        speed = min(turned / max(after.at_s - before.at_s, 1e-3), head.speed_deg_s)
        f_px = max(view.mount.f_px for view in views)
        grown += grown_px(f_px, turned_within(head, speed, head.latency_s))
    held = _now(device_id, masks, max(before.aim.zoom, after.aim.zoom))
    return [hidden(each, views, grown) for each in held]


def _of_body(pointing: Pointing, masks: Sequence[Mask], channel: str, size: Size) -> list[BaseGeometry]:
    """What is hidden of a body that does not turn, by its registration: its picture is as wide as ever, and only what hides always
    hides there. One that is not registered shows nothing.
    """
    always = [each for each in masks if each.from_zoom <= 1.0]
    if not always:
        return []
    fitted = pointing.seen_by(channel)
    if fitted is None or not fitted.is_known or fitted.seen_by.model != "rotation":
        return [_whole(size)]
    out = []
    scale = np.array(size) / np.array(fitted.seen_by.size)
    for each in always:
        corners = [fitted.pixel(Direction(*point)) for point in each.points]
        if all(corner is None for corner in corners):
            continue
        if any(corner is None for corner in corners):
            return [_whole(size)]
        grown = math.hypot(*size) * math.radians(fitted.rms_deg) / math.radians(fitted.field_deg)
        area = shapely.make_valid(shapely.Polygon([corner * scale for corner in corners if corner is not None]))
        out.append(area.buffer(grown).intersection(_whole(size)))
    return out


def _without(picture: Image.Image, areas: Sequence[BaseGeometry], kind: str) -> bytes:
    pen = ImageDraw.Draw(picture)
    for area in areas:
        for corners in polygons(area):
            if len(corners) > 2:
                pen.polygon(corners, fill=INK)
    out = io.BytesIO()
    if kind == "JPEG":
        picture.save(out, "JPEG", quality=88)
    else:
        picture.save(out, "PNG", compress_level=1)
    return out.getvalue()
