"""The page of a head: its picture, keys, where it looks on the plan, its presets."""

from __future__ import annotations

import math
from contextlib import suppress
from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, Body, Query, Request
from fastapi.responses import HTMLResponse, Response
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session

from lantern.core.company import Stands
from lantern.core.faults import Fault, LanternError, Refused
from lantern.core.optics.feet import view_of
from lantern.core.ptz.pointing import Direction, out_of_reach, towards
from lantern.core.ptz.seen_by import PARALLAX_AT_M, parallax_deg
from lantern.core.ptz.sketch import sketched, view_of_aim, wedge
from lantern.core.ptz.turned import Pointing
from lantern.core.watch import Aim
from lantern.db.base import transaction
from lantern.db.numbers import Id
from lantern.devices.onvif.ptz import MOST_MOVE_S, Position, Ptz
from lantern.duty.holding import give_back, held_shown, take_hold
from lantern.plan.actions import plan_model
from lantern.register.heads import Steered
from lantern.register.tables import DeviceRow, device_by_code, devices_of_site, pixels_of
from lantern.sites.tables import site_of
from lantern.steer.focusing import FOCUSING
from lantern.steer.heads import known_pointing, look_there, looks, speak, steered_with
from lantern.steer.hiding import hidden_now, picture_without
from lantern.steer.matching import MATCHING
from lantern.steer.registering import registration_shown
from lantern.steer.trying import TRYING
from lantern.steer.zooming import MEASURING
from lantern.takes.tables import takes_of_device
from lantern.web.access import may, site_id_of, tell
from lantern.web.answers import json_answer
from lantern.web.pages import render

router = APIRouter()
TALL_M = 1.8  # of whom a place is looked at for; common practice, no source
FRAME_PX = (1280, 720)


class Drive(BaseModel):
    """Shares of its greatest speed; up is positive."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    pan: float = Field(ge=-1, le=1)
    tilt: float = Field(ge=-1, le=1)
    zoom: float = Field(default=0.0, ge=-1, le=1)


class Look(BaseModel):
    """A place of the plan, or of a camera's picture, and how far it zooms; None: as it is."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    x_m: float | None = Field(default=None, ge=-1e6, le=1e6)
    y_m: float | None = Field(default=None, ge=-1e6, le=1e6)
    z_m: float = Field(default=TALL_M / 2, ge=-100, le=1000)
    camera: str | None = Field(default=None, max_length=40)
    u_px: float | None = Field(default=None, ge=-1e5, le=1e5)
    v_px: float | None = Field(default=None, ge=-1e5, le=1e5)
    zoom: float | None = Field(default=None, ge=1, le=1000)


@router.get("/devices/{device_id}/steer", **may("viewer"))
def page(request: Request, device_id: Id) -> HTMLResponse:
    with transaction() as session:
        row, steered = session.get_one(DeviceRow, device_id), steered_with(session, device_id)
        site = site_of(session, site_id_of(request))
        plan = plan_model(session, site.id)
        cameras = [
            {
                "code": each.code,
                "name": each.name,
                "still": f"/takes/{take.id}/still",
                "pixels": pixels_of(each),
                "apart": _apart(steered, each),
            }
            for each in devices_of_site(session, site.id)
            if each.kind != row.kind and each.extras.get("mount") and pixels_of(each)
            for take in [next((t for t in takes_of_device(session, each.id) if t.still_type), None)]
            if take is not None
        ]
        data = {
            "device": row.id,
            "code": row.code,
            "reached": bool(steered.url),
            "mounted": steered.pointing is not None,
            "registration": registration_shown(steered),
            "cameras": cameras,
            "plan": {"width_m": plan.width_m, "height_m": plan.height_m},
            "renewS": MOST_MOVE_S,
        }
        return render(request, session, "steer.html", stage="survey", device=row, data=data)


def _apart(steered: Steered, camera: DeviceRow) -> str:
    """Return what it would cost to take a camera that stands elsewhere for a turn away; empty: the head stands nowhere."""
    if steered.pointing is None:
        return ""
    head, mount = steered.pointing.head, camera.extras["mount"]
    away_m = math.dist((head.x_m, head.y_m), (mount["x_m"], mount["y_m"]))
    wrong = [f"{each:.0f}° at {at:g} m" for each, at in zip(parallax_deg(away_m), PARALLAX_AT_M, strict=True)]
    return f"{camera.code} stands {away_m:.0f} m away: taken for a turn it would be wrong by {', '.join(wrong)}; by the ground it is not."


@router.get("/devices/{device_id}/steer/state", **may("viewer"))
def state(device_id: Id) -> Response:
    """Where it looks now: in its own units, and on the site where it is registered; and who has it."""
    with transaction() as session:
        steered = steered_with(session, device_id)
        held = held_shown(session, session.get_one(DeviceRow, device_id))
    try:
        position = speak(steered, "asks", lambda head: head.status())
    except LanternError as error:
        return json_answer({"error": str(error), "held": held})
    return json_answer(_position_shown(steered, position) | {"held": held})


def _position_shown(steered: Steered, position: Position) -> dict[str, Any]:
    aim = looks(steered, position)
    own = [round(each, 4) for each in (position.pan, position.tilt, position.zoom)]
    out: dict[str, Any] = {"error": position.error, "own": own, "moving": position.moving, "aim": None}
    if aim is not None and steered.pointing is not None:
        head = steered.pointing.head
        out["aim"] = [round(each, 2) for each in aim]
        out["field_deg"] = round(float(view_of_aim(head, aim, FRAME_PX).mount.hfov_deg), 2)
        out["wedge"] = wedge(head, aim, FRAME_PX)
    out["masks"] = [
        [name, [[[round(u, 1), round(v, 1)] for u, v in corners] for corners in areas]]
        for name, areas in hidden_now(steered, position)
    ]
    return out


@router.get("/devices/{device_id}/steer/picture", **may("viewer"))
def picture(device_id: Id, channel: Annotated[str, Query(max_length=80)] = "") -> Response:
    """What one of its bodies shows now; `channel`: the token of a profile, else that which turns."""
    with transaction() as session:
        steered = steered_with(session, device_id)
    data = picture_without(steered, channel)
    kind = "image/png" if data.startswith(b"\x89PNG") else "image/jpeg"
    return Response(data, media_type=kind, headers={"Cache-Control": "no-store"})


@router.get("/devices/{device_id}/steer/channels", **may("viewer"))
def channels(device_id: Id) -> Response:
    with transaction() as session:
        steered = steered_with(session, device_id)
    found = speak(steered, "asks", lambda head: head.profiles())
    return json_answer(
        [
            {
                "token": each.token,
                "name": each.name,
                "turns": each.turns,
                "size": [each.width or FRAME_PX[0], each.height or FRAME_PX[1]],
            }
            for each in found
        ]
    )


# ---- moved -----------------------------------------------------------------------------------------------------------


@router.post("/devices/{device_id}/steer/drive", **may("operator"))
def drive(request: Request, device_id: Id, asked: Drive) -> Response:
    """Move on for a second at most: whoever holds a key asks again and again, and once nobody does it stops."""
    with transaction() as session:
        take_hold(request, session, device_id)
        steered = steered_with(session, device_id)
    speak(steered, "moves", lambda head: head.drive(asked.pan, asked.tilt, asked.zoom))
    return json_answer({"for_s": MOST_MOVE_S})


@router.post("/devices/{device_id}/steer/stop", **may("operator"))
def stop(request: Request, device_id: Id) -> Response:
    with transaction() as session:
        steered = steered_with(session, device_id)
    for routine in (MEASURING, MATCHING, TRYING, FOCUSING):
        routine.stop(device_id)
    speak(steered, "moves", lambda head: head.stop())
    with transaction() as session, suppress(Refused):  # it has stopped, whoever has it; else it is held like by a key
        take_hold(request, session, device_id)
    return json_answer({})


@router.post("/devices/{device_id}/steer/release", **may("operator", "gave a head back"))
def release(request: Request, device_id: Id) -> Response:
    """Whoever moved it by hand has it no more."""
    with transaction() as session:
        give_back(request, session, device_id)
    return json_answer({})


@router.post("/devices/{device_id}/steer/home", **may("operator", "sent a head home"))
def home(request: Request, device_id: Id) -> Response:
    with transaction() as session:
        take_hold(request, session, device_id)
        steered = steered_with(session, device_id)
    speak(steered, "moves", lambda head: head.home())
    return json_answer({})


@router.post("/devices/{device_id}/steer/look", **may("operator"))
def look(request: Request, device_id: Id, asked: Look) -> Response:
    """Have it look at a place of the plan, or at what a pixel of a fixed picture shows."""
    with transaction() as session:
        take_hold(request, session, device_id)
        steered = steered_with(session, device_id)
        to = _to(session, site_id_of(request), known_pointing(steered), asked)
    return json_answer(look_there(steered, Aim(to.pan_deg, to.tilt_deg, _zoom(steered, asked.zoom))))


@router.post("/devices/{device_id}/steer/preview", **may("viewer"))
def preview(request: Request, device_id: Id, asked: Look) -> Response:
    """What it would see, before it moves."""
    with transaction() as session:
        steered = steered_with(session, device_id)
        site_id, pointing = site_id_of(request), known_pointing(steered)
        to = _to(session, site_id, pointing, asked)
        walls = [(each.points, each.height_m, each.closed) for each in plan_model(session, site_id).occluders]
    head = pointing.head
    aim = Aim(to.pan_deg, to.tilt_deg, _zoom(steered, asked.zoom))
    view = view_of_aim(head, aim, FRAME_PX)
    place = view.ground(np.array(FRAME_PX) / 2)
    on_ground = (round(float(place[0]), 2), round(float(place[1]), 2)) if np.isfinite(place).all() else None
    people = [] if on_ground is None else [("there", *on_ground, TALL_M)]
    parts = sketched(view, walls, people)
    drawn = [[each.what, [[round(u, 1), round(v, 1)] for u, v in each.points], each.name] for each in parts]
    return json_answer(
        {
            "aim": [round(each, 2) for each in aim],
            "place": on_ground,
            "why_not": out_of_reach(head, to),
            "wedge": wedge(head, aim, FRAME_PX),
            "picture": {"width": FRAME_PX[0], "height": FRAME_PX[1], "parts": drawn},
        }
    )


def _to(session: Session, site_id: int, pointing: Pointing, asked: Look) -> Direction:
    """Return the direction that is asked for. Raises `Refused` where none is said, and where a pixel lies on no ground."""
    if asked.camera is None:
        if asked.x_m is None or asked.y_m is None:
            raise Refused([Fault("look", "no place is said", "x_m and y_m, or a picture with u_px and v_px")])
        return towards(pointing.head, (asked.x_m, asked.y_m, asked.z_m))
    if asked.u_px is None or asked.v_px is None:
        raise Refused([Fault("look", "no pixel is said", "u_px and v_px")])
    fitted = pointing.seen_by(asked.camera)
    if fitted is not None and fitted.is_known:
        return fitted.towards(asked.u_px, asked.v_px, asked.z_m)
    row = device_by_code(session, site_id, asked.camera)
    if row is None:
        what = f"{asked.camera[:40]!r} is no camera of this site, and no picture that it is registered to"
        raise Refused([Fault("look: camera", what, "a camera, or pairs of that picture")])
    view = view_of(Stands(row.extras.get("mount"), pixels_of(row)), None)
    x, y = view.ground(np.array([asked.u_px, asked.v_px]))[:2]
    if not (np.isfinite(x) and np.isfinite(y)):
        raise Refused([Fault("look: v_px", f"{asked.v_px:g} lies above the horizon", "a place on the ground")])
    return towards(pointing.head, (float(x), float(y), asked.z_m))


def _zoom(steered: Steered, zoom: float | None) -> float:
    """As it is, where nothing is said."""
    if zoom is not None:
        return zoom
    position = speak(steered, "asks", lambda head: head.status())
    return known_pointing(steered).aim(position.pan, position.tilt, position.zoom).zoom


# ---- presets of the device -------------------------------------------------------------------------------------------


@router.post("/devices/{device_id}/steer/presets/{token}/go", **may("operator"))
def go_to_preset(request: Request, device_id: Id, token: str) -> Response:
    with transaction() as session:
        take_hold(request, session, device_id)
        steered = steered_with(session, device_id)
    speak(steered, "moves", lambda head: head.go_to(token))
    return json_answer({})


@router.delete("/devices/{device_id}/steer/presets/{token}", **may("engineer", "took a preset of a head away"))
def forget_preset(request: Request, device_id: Id, token: str) -> Response:
    """Take it away at the device; what is kept here of it stays."""
    with transaction() as session:
        steered = steered_with(session, device_id)
    speak(steered, "moves", lambda head: head.forget(token))
    tell(request, f"took the preset {token} of {steered.code} away")
    return json_answer({})


@router.post("/devices/{device_id}/steer/presets", **may("engineer", "kept a preset at a head"))
def keep_at_device(
    request: Request,
    device_id: Id,
    name: Annotated[str, Body(min_length=1, max_length=80)],
    token: Annotated[str | None, Body(max_length=80)] = None,
) -> Response:
    """Keep where it looks now as a preset of the device, in place of an earlier one if a token is given."""
    with transaction() as session:
        steered = steered_with(session, device_id)

    def keep(head: Ptz) -> str:
        return head.keep(name, token)

    made = speak(steered, "moves", keep)
    tell(request, f"kept {name} as a preset of {steered.code}")
    return json_answer({"token": made})
