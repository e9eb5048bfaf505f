"""Detectors made from nothing, renamed, copied, switched off, retired; and the live picture that one can be drawn on."""

from __future__ import annotations

from typing import Any

import httpx
import orjson
from fastapi import APIRouter, Body, HTTPException, Request
from fastapi.responses import HTMLResponse, Response
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session

from lantern.core.devices import DEVICE_KINDS
from lantern.core.faults import Fault, Refused
from lantern.db.base import transaction
from lantern.db.numbers import Id
from lantern.live.calls import ask_engine
from lantern.people.tables import scale_of
from lantern.register.tables import DeviceRow
from lantern.register.units import recheck
from lantern.signals.register import ground_of
from lantern.tune import making
from lantern.tune.shown import get_detector, take_shown
from lantern.web.access import may, site_id_of, tell
from lantern.web.answers import json_answer
from lantern.web.door import user_id
from lantern.web.pages import render

router = APIRouter()
SILENT = "The engine does not answer."


class Made(BaseModel):
    model_config = ConfigDict(extra="forbid")

    device_id: Id
    name: str = Field(max_length=120)
    kind: str
    regions: list[dict[str, Any]]


class Copied(BaseModel):
    model_config = ConfigDict(extra="forbid")

    device_id: Id
    name: str = Field(max_length=120)


@router.get("/detectors/new", **may("engineer"))
def new_page(request: Request, device: Id) -> HTMLResponse:
    """Every kind, those that the device can do first; and what regions can be drawn on."""
    with transaction() as session:
        row = _device(request, session, device)
        if not DEVICE_KINDS[row.kind].signals:
            raise HTTPException(
                422, f"{row.code} is {DEVICE_KINDS[row.kind].a_title}: there is nothing to detect on it."
            )
        kinds = making.kinds_for(session, row)
        scale = scale_of(session, user_id(request))
        zone = row.place.site.zone
        data = {
            "device": {"id": row.id, "code": row.code},
            "size": making.picture_of(session, row),
            "grounds": [take_shown(take, zone) for take in making.grounds_of(session, row)],
            "ground": ground_of(DEVICE_KINDS[row.kind].signals),
            "kinds": {
                each.kind.name: {
                    "shapes": each.kind.shapes,
                    "signals": each.kind.signals,
                    "regions": each.kind.needs_regions,
                }
                for each in kinds
            },
            "chosen": next((each.kind.name for each in kinds if not each.why_not), ""),
            "scale": {"level": scale.level.as_dict()},
        }
        return render(request, session, "detector_new.html", stage="tune", device=row, kinds=kinds, data=data)


def _device(request: Request, session: Session, device_id: int) -> DeviceRow:
    """Return a device of this site that is still there. Raises `Refused`."""
    row = session.get(DeviceRow, device_id)
    if row is None or row.site_id != site_id_of(request):
        raise HTTPException(404, f"This site has no device {device_id}.")
    if row.retired:
        raise Refused([Fault(f"device {row.code}", "is retired", "a device that is there: bring it back first")])
    return row


@router.post("/detectors", **may("engineer", "made a detector"))
def make(request: Request, made: Made) -> Response:
    with transaction() as session:
        device = _device(request, session, made.device_id)
        row = making.make_detector(
            session, device, name=made.name, kind=made.kind, regions=made.regions, user_id=user_id(request)
        )
        tell(request, f"made the detector {row.name} on {device.code}")
        return json_answer({"id": row.id, "name": row.name})


@router.put("/detectors/{detector_id}/name", **may("engineer", "renamed a detector"))
def rename(request: Request, detector_id: Id, name: str = Body(embed=True)) -> Response:
    with transaction() as session:
        row = get_detector(session, detector_id)
        tell(request, f"renamed the detector {row.name} to {name.strip()}")
        making.rename_detector(session, row, name, user_id=user_id(request))
        return json_answer({"id": row.id, "name": row.name, "revision": row.revision})


@router.put("/detectors/{detector_id}/channel", **may("engineer", "put a detector on a channel"))
def on_channel(request: Request, detector_id: Id, channel: str | None = Body(embed=True, max_length=40)) -> Response:
    """The body or sensor of its device that it looks at; null: none of its own."""
    with transaction() as session:
        row = get_detector(session, detector_id)
        making.set_channel(session, row, channel, user_id=user_id(request))
        return json_answer({"id": row.id, "revision": row.revision})


@router.post("/detectors/{detector_id}/copy", **may("engineer", "copied a detector"))
def copy(request: Request, detector_id: Id, copied: Copied) -> Response:
    with transaction() as session:
        row, device = get_detector(session, detector_id), _device(request, session, copied.device_id)
        made, caution = making.copy_detector(session, row, device, name=copied.name, user_id=user_id(request))
        tell(request, f"copied the detector {row.name} to {made.name} on {device.code}")
        return json_answer({"id": made.id, "caution": caution})


@router.put("/detectors/{detector_id}/enabled", **may("engineer", "switched a detector on or off"))
def enable(request: Request, detector_id: Id, enabled: bool = Body(embed=True)) -> Response:
    """Whether it runs live; what it raised stays, and it can be tuned all the same."""
    with transaction() as session:
        row = get_detector(session, detector_id)
        row.enabled = enabled
        recheck(session, row.site_id)
        tell(request, f"switched the detector {row.name} {'on' if enabled else 'off'}")
        return json_answer({"id": row.id, "enabled": row.enabled})


@router.put("/detectors/{detector_id}/retired", **may("engineer", "retired a detector"))
def retire(request: Request, detector_id: Id, retired: bool = Body(embed=True)) -> Response:
    """No longer shown nor run; its revisions, events and links stay."""
    with transaction() as session:
        row = get_detector(session, detector_id)
        row.retired = retired
        recheck(session, row.site_id)
        tell(request, f"retired the detector {row.name}" if retired else f"took the detector {row.name} up again")
        return json_answer({"id": row.id, "device": row.device_id, "retired": row.retired})


# ---- the live picture ------------------------------------------------------------------------------------------------


@router.get("/devices/{device_id}/live", **may("viewer"))
def live(device_id: Id) -> Response:
    """Return how the device stands at the engine, with the objects of its last frame if it sends objects."""
    return json_answer(orjson.loads(_asked(f"/state/{device_id}").content)["feed"])


@router.get("/devices/{device_id}/frame", **may("viewer"))
def frame(device_id: Id) -> Response:
    """The device's last frame: raw pixels, deflated."""
    answer = _asked(f"/frame/{device_id}")
    if answer.status_code != 200:
        raise HTTPException(404, "No frame has come yet.")
    headers = {"Content-Encoding": "deflate", "Cache-Control": "no-store"}
    return Response(answer.content, 200, headers, "application/octet-stream")


def _asked(path: str) -> httpx.Response:
    try:
        return ask_engine("GET", path)
    except httpx.HTTPError as error:
        raise HTTPException(503, SILENT) from error
