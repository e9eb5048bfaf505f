"""The page of a head: its picture, keys, where it looks on the plan, its presets."""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, Body, Query, Request
from fastapi.responses import HTMLResponse, Response
from pydantic import BaseModel, ConfigDict, Field

from lantern.core.company import Stands
from lantern.core.faults import Fault, LanternError, Refused
from lantern.core.optics.feet import view_of
from lantern.core.ptz.pointing import towards
from lantern.core.ptz.sketch import sketched, view_of_aim, wedge
from lantern.core.watch import Aim
from lantern.db.base import transaction
from lantern.db.numbers import Id
from lantern.devices.onvif.ptz import MOST_MOVE_S, Position, Ptz
from lantern.plan.actions import plan_model
from lantern.register.heads import Steered
from lantern.register.tables import DeviceRow, device_by_code, devices_of_site, pixels_of
from lantern.sites.tables import site_of
from lantern.steer.heads import known_pointing, look_there, looks, speak, steered_with
from lantern.steer.registering import registration_shown
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
            {"code": each.code, "name": each.name, "still": f"/takes/{take.id}/still", "pixels": pixels_of(each)}
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


@router.get("/devices/{device_id}/steer/state", **may("viewer"))
def state(device_id: Id) -> Response:
    """Where it looks now: in its own units, and on the site where it is registered."""
    with transaction() as session:
        steered = steered_with(session, device_id)
    try:
        position = speak(steered, "asks", lambda head: head.status())
    except LanternError as error:
        return json_answer({"error": str(error)})
    return json_answer(_position_shown(steered, position))


def _position_shown(steered: Steered, position: Position) -> dict[str, Any]:
    aim = looks(steered, position)
    own = [round(each, 4) for each in (position.pan, position.tilt, position.zoom)]
    out: dict[str, Any] = {"error": position.error, "own": own, "moving": position.moving, "aim": None}
    if aim is not None and steered.pointing is not None:
        head = steered.pointing.head
        out["aim"] = [round(each, 2) for each in aim]
        out["field_deg"] = round(float(view_of_aim(head, aim, FRAME_PX).mount.hfov_deg), 2)
        out["wedge"] = wedge(head, aim, FRAME_PX)
    return out


@router.get("/devices/{device_id}/steer/picture", **may("viewer"))
def picture(device_id: Id, channel: Annotated[str, Query(max_length=80)] = "") -> Response:
    """What one of its bodies shows now; `channel`: the token of a profile, else that which turns."""
    with transaction() as session:
        steered = steered_with(session, device_id)
    data = speak(steered, "asks", lambda head: head.snapshot(channel or None))
    kind = "image/png" if data.startswith(b"\x89PNG") else "image/jpeg"
    return Response(data, media_type=kind, headers={"Cache-Control": "no-store"})


@router.get("/devices/{device_id}/steer/channels", **may("viewer"))
def channels(device_id: Id) -> Response:
    with transaction() as session:
        steered = steered_with(session, device_id)
    found = speak(steered, "asks", lambda head: head.profiles())
    return json_answer([{"token": each.token, "name": each.name, "turns": each.turns} for each in found])


# ---- moved -----------------------------------------------------------------------------------------------------------


@router.post("/devices/{device_id}/steer/drive", **may("operator"))
def drive(device_id: Id, asked: Drive) -> Response:
    """Move on for a second at most: whoever holds a key asks again and again, and once nobody does it stops."""
    with transaction() as session:
        steered = steered_with(session, device_id)
    speak(steered, "moves", lambda head: head.drive(asked.pan, asked.tilt, asked.zoom))
    return json_answer({"for_s": MOST_MOVE_S})


@router.post("/devices/{device_id}/steer/stop", **may("operator"))
def stop(device_id: Id) -> Response:
    with transaction() as session:
        steered = steered_with(session, device_id)
    speak(steered, "moves", lambda head: head.stop())
    return json_answer({})


@router.post("/devices/{device_id}/steer/home", **may("operator", "sent a head home"))
def home(device_id: Id) -> Response:
    with transaction() as session:
        steered = steered_with(session, device_id)
    speak(steered, "moves", lambda head: head.home())
    return json_answer({})


@router.post("/devices/{device_id}/steer/look", **may("operator"))
def look(request: Request, device_id: Id, asked: Look) -> Response:
    """Have it look at a place of the plan, or of a camera's picture."""
    with transaction() as session:
        steered = steered_with(session, device_id)
        place = _place(session, site_id_of(request), asked)
    return json_answer(look_there(steered, _aim(steered, place, asked.zoom)) | {"place": [round(v, 2) for v in place]})


@router.post("/devices/{device_id}/steer/preview", **may("viewer"))
def preview(request: Request, device_id: Id, asked: Look) -> Response:
    """What it would see, before it moves."""
    with transaction() as session:
        steered = steered_with(session, device_id)
        site_id = site_id_of(request)
        place = _place(session, site_id, asked)
        walls = [(each.points, each.height_m, each.closed) for each in plan_model(session, site_id).occluders]
    pointing = known_pointing(steered)
    aim = _aim(steered, place, asked.zoom)
    view = view_of_aim(pointing.head, aim, FRAME_PX)
    parts = sketched(view, walls, [("there", place[0], place[1], TALL_M)])
    drawn = [[each.what, [[round(u, 1), round(v, 1)] for u, v in each.points], each.name] for each in parts]
    return json_answer(
        {
            "aim": [round(each, 2) for each in aim],
            "place": [round(each, 2) for each in place],
            "wedge": wedge(pointing.head, aim, FRAME_PX),
            "picture": {"width": FRAME_PX[0], "height": FRAME_PX[1], "parts": drawn},
        }
    )


def _place(session: Any, site_id: int, asked: Look) -> tuple[float, float, float]:
    """Raises `Refused` where no place is said, and where a camera's pixel lies on no ground."""
    if asked.camera is None:
        if asked.x_m is None or asked.y_m is None:
            raise Refused([Fault("look", "no place is said", "x_m and y_m, or a camera with u_px and v_px")])
        return asked.x_m, asked.y_m, asked.z_m
    row = device_by_code(session, site_id, asked.camera)
    if row is None or asked.u_px is None or asked.v_px is None:
        raise Refused([Fault("look: camera", repr(asked.camera)[:40], "a camera of this site, with u_px and v_px")])
    view = view_of(Stands(row.extras.get("mount"), pixels_of(row)), None)
    x, y = view.ground(np.array([asked.u_px, asked.v_px]))[:2]
    if not (np.isfinite(x) and np.isfinite(y)):
        raise Refused([Fault("look: v_px", f"{asked.v_px:g} lies above the horizon", "a place on the ground")])
    return float(x), float(y), asked.z_m


def _aim(steered: Steered, place: tuple[float, float, float], zoom: float | None) -> Aim:
    pointing = known_pointing(steered)
    to = towards(pointing.head, place)
    if zoom is None:
        position = speak(steered, "asks", lambda head: head.status())
        zoom = pointing.aim(position.pan, position.tilt, position.zoom).zoom
    return Aim(to.pan_deg, to.tilt_deg, zoom)


# ---- presets of the device -------------------------------------------------------------------------------------------


@router.post("/devices/{device_id}/steer/presets/{token}/go", **may("operator"))
def go_to_preset(device_id: Id, token: str) -> Response:
    with transaction() as session:
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
