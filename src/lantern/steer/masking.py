"""Masks of a head: drawn in its picture, kept with it, and given to the device, which then hides the same by itself."""

from __future__ import annotations

import math
import time
from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, Body, Request
from fastapi.responses import Response
from pydantic import Field

from lantern.core.faults import Fault, LanternError, Refused
from lantern.core.modelled import Strict
from lantern.core.ptz.masks import Mask, corners_px
from lantern.core.ptz.pointing import Direction, out_of_reach
from lantern.core.ptz.sketch import view_of_aim
from lantern.core.ptz.standing import FRAME_PX
from lantern.core.ptz.turned import Pointing, Turned
from lantern.core.watch import Aim
from lantern.db.base import transaction
from lantern.db.numbers import Count, Id
from lantern.devices.onvif.masks import Masks
from lantern.devices.onvif.ptz import Ptz
from lantern.duty.holding import take_hold
from lantern.register.heads import Steered, edged, turned_of
from lantern.register.tables import DeviceRow
from lantern.steer.heads import known_pointing, speak, steered_with
from lantern.steer.hiding import bearing_now, shares
from lantern.steer.pictures import rest
from lantern.steer.registering import changed
from lantern.web.access import may
from lantern.web.answers import json_answer

router = APIRouter()
FILLS = 0.6  # of the picture, while the device is given a mask: all its corners lie in it
GIVING_S = 30.0
Points = Annotated[tuple[tuple[float, float], ...], Field(max_length=20)]


class OfPicture(Strict):
    """A pixel of what it shows now, in a picture of 1280 x 720."""

    u_px: float = Field(ge=-1e5, le=1e5)
    v_px: float = Field(ge=-1e5, le=1e5)


@router.get("/devices/{device_id}/steer/masks", **may("viewer"))
def masks(device_id: Id) -> Response:
    """What it must not show, how much of each preset's picture that hides, and whether the device hides it too."""
    with transaction() as session:
        steered = steered_with(session, device_id)
    return json_answer(_shown(steered))


def _shown(steered: Steered) -> dict[str, Any]:
    pointing, held = steered.pointing, steered.masks
    hides = {} if pointing is None else shares(pointing)
    names = {} if pointing is None else {each.number: each.name for each in pointing.turned.presets}
    said, there = "", set()
    if steered.url:
        try:
            there = {each.token for each in speak(steered, "asks", lambda head: Masks(head.held).kept())}
        except LanternError as error:
            said = str(error)
    rows = [
        each.model_dump(mode="json")
        | {
            "hides": [
                {"number": number, "name": names[number], "share": round(found[each.name], 4)}
                for number, found in hides.items()
                if each.name in found
            ],
            "there": each.is_given and each.token in there,
        }
        for each in held
    ]
    return {"rows": rows, "said": said, "unknown": sorted(there - {each.token for each in held})}


@router.post("/devices/{device_id}/steer/bearing", **may("engineer"))
def bearing(device_id: Id, asked: OfPicture) -> Response:
    """Which way a pixel of its picture looks: a corner that is drawn stays with what it lies on."""
    with transaction() as session:
        steered = steered_with(session, device_id)
    position = speak(steered, "asks", lambda head: head.status())
    pan, tilt = bearing_now(steered, position, asked.u_px, asked.v_px)
    return json_answer({"point": [round(pan, 4), round(tilt, 4)]})


@router.post("/devices/{device_id}/steer/corners", **may("engineer"))
def corners(device_id: Id, points: Annotated[Points, Body(embed=True)]) -> Response:
    """Where corners lie in its picture now; what lies behind it is left out."""
    with transaction() as session:
        steered = steered_with(session, device_id)
    pointing = known_pointing(steered)
    position = speak(steered, "asks", lambda head: head.status())
    view = view_of_aim(pointing.head, pointing.aim(position.pan, position.tilt, position.zoom), FRAME_PX)
    out = []
    for point in points:
        u, v = view.pixels(view.eye + np.array(Direction(*point).vector)).tolist()
        out.append([round(u, 1), round(v, 1)] if math.isfinite(u) else None)
    return json_answer({"pixels": out})


@router.post("/devices/{device_id}/steer/masks", **may("engineer"))
def add_mask(request: Request, device_id: Id, mask: Mask) -> Response:
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)

        def add(turned: Turned) -> Turned:
            return _with(turned, (*turned.masks, mask.model_copy(update={"token": "", "given": ()})))

        changed(request, session, row, add, f"{mask.name} is hidden.")
    return masks(device_id)


@router.put("/devices/{device_id}/steer/masks/{at}", **may("engineer"))
def change_mask(request: Request, device_id: Id, at: Count, mask: Mask) -> Response:
    """Its corners, its name, its zoom. The device goes on hiding what it was given, until it is given the new corners."""
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)

        def change(turned: Turned) -> Turned:
            held = _one(turned, at)
            fresh = mask.model_copy(update={"token": held.token, "given": held.given})
            return _with(turned, (*turned.masks[:at], fresh, *turned.masks[at + 1 :]))

        changed(request, session, row, change, f"What is hidden as {mask.name} was changed.")
    return masks(device_id)


@router.delete("/devices/{device_id}/steer/masks/{at}", **may("engineer"))
def drop_mask(request: Request, device_id: Id, at: Count) -> Response:
    """Take it away, here and at the device."""
    with transaction() as session:
        steered = steered_with(session, device_id)
        held = _one(turned_of(session.get_one(DeviceRow, device_id)), at)
    if held.token:
        _forget_there(steered, held.token)
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)

        def drop(turned: Turned) -> Turned:
            return _with(turned, tuple(each for each in turned.masks if each.name != held.name))

        changed(request, session, row, drop, f"{held.name} is shown again.")
    return masks(device_id)


@router.post("/devices/{device_id}/steer/masks/{at}/device", **may("engineer"))
def give_mask(request: Request, device_id: Id, at: Count) -> Response:
    """Have the device hide it too: it looks at it, and is told the corners as they lie in its picture then."""
    with transaction() as session:
        take_hold(request, session, device_id, for_s=GIVING_S)
        steered = steered_with(session, device_id)
    pointing = known_pointing(steered)
    held = _one(pointing.turned, at)
    token = speak(steered, "moves", lambda head: _given(head, pointing, steered.code, held))
    if held.token:  # once the new one hides
        _forget_there(steered, held.token)
    given = {"token": token, "given": held.points}
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)

        def keep(turned: Turned) -> Turned:
            kept = [each.model_copy(update=given) if each.name == held.name else each for each in turned.masks]
            return _with(turned, tuple(kept))

        changed(request, session, row, keep, f"The device hides {held.name} too.")
    return masks(device_id)


def _given(head: Ptz, pointing: Pointing, code: str, mask: Mask) -> str:
    """Look at it, as near as all of it fits, and hide it there. Returns the device's token."""
    if pointing.curve is None:
        what = "has no zoom that was measured: where its picture ends is not known"
        raise Refused([Fault(f"device {code}", what, "its zoom measured")])
    middle = mask.middle
    if why := out_of_reach(pointing.head, middle):
        raise Refused([Fault(f"device {code}: {mask.name}", why, "a mask whose middle it can look at")])
    wide = corners_px(mask, view_of_aim(pointing.head, Aim(*middle, 1.0), FRAME_PX))
    away = np.abs(wide - np.array(FRAME_PX) / 2) / (np.array(FRAME_PX) / 2)
    zoom = min(max(FILLS / max(float(away.max()), 1e-6), 1.0), pointing.head.zoom_max)
    begins = head.status()
    pan, tilt, own_zoom = pointing.own(Aim(*middle, zoom))
    try:
        head.absolute(edged(pan), edged(tilt), own_zoom)
        rest(head)
        now = head.status()
        aim = pointing.aim(now.pan, now.tilt, now.zoom)
        seen = corners_px(mask, view_of_aim(pointing.head, aim, FRAME_PX)) / (np.array(FRAME_PX) / 2) - 1.0
        if len(seen) != len(mask.points) or float(np.abs(seen).max()) > 1:
            what = "does not fit in its widest picture"
            raise Refused([Fault(f"device {code}: {mask.name}", what, "two masks that do, side by side")])
        time.sleep(pointing.head.latency_s)
        return Masks(head.held).create(head.turning.configuration, [(float(u), float(-v)) for u, v in seen])
    finally:
        head.absolute(begins.pan, begins.tilt, begins.zoom)


def _forget_there(steered: Steered, token: str) -> None:
    """Take it away at the device, if it is there still."""

    def forget(head: Ptz) -> None:
        held = Masks(head.held)
        if any(each.token == token for each in held.kept()):
            held.forget(token)

    speak(steered, "moves", forget)


def _one(turned: Turned, at: int) -> Mask:
    if at >= len(turned.masks):
        raise Refused([Fault("mask", str(at), "one that there is")])
    return turned.masks[at]


def _with(turned: Turned, held: tuple[Mask, ...]) -> Turned:
    """Raises `Refused` for two of one name."""
    names = [each.name for each in held]
    if twice := sorted({name for name in names if names.count(name) > 1}):
        raise Refused([Fault("mask: name", f"{twice[0]!r} is taken", "a name of its own")])
    return turned.model_copy(update={"masks": held})
