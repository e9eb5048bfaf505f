"""Devices: their pages, and *Try it*."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException, Query, Request
from fastapi.responses import HTMLResponse, Response
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session
from sse_starlette.sse import EventSourceResponse

from lantern.core.devices import DEVICE_KINDS, FIGURES, given_by
from lantern.core.faults import Fault, Refused
from lantern.core.register.channels import SETTINGS
from lantern.db.base import transaction
from lantern.db.numbers import Id
from lantern.links.tables import links_of_site, timetables_of
from lantern.register import devices
from lantern.register.history import WHAT, changed
from lantern.register.overview import overview, take_cure
from lantern.register.passwords import MOST_CHARACTERS, has_password, keep_password, password_of
from lantern.register.replacing import cannot, replace_device, types_for
from lantern.register.tables import DeviceRow, devices_of_site, register_of
from lantern.register.trying import Tried, ingest_address, try_device
from lantern.revisions import RevisionRow, revision, revisions_of
from lantern.sites.tables import PlaceRow, site_of
from lantern.takes.tables import takes_of_device
from lantern.tune.tables import detectors_of_device
from lantern.walk.following import follow
from lantern.web.access import may, site_id_of, tell
from lantern.web.answers import json_answer
from lantern.web.door import user_id
from lantern.web.pages import offset_s, render

router = APIRouter()
SWITCH = "switch"
MOST_STATES = 50  # that a page lists; older ones stay in the store


class Placed(BaseModel):
    """A device's document with the place that it is in."""

    model_config = ConfigDict(extra="allow")

    place_id: Id


class Copied(BaseModel):
    model_config = ConfigDict(extra="forbid")

    code: str = Field(max_length=20)
    name: str = Field(max_length=120)


# ---- devices ---------------------------------------------------------------------------------------------------------


@router.get("/devices/new", **may("engineer"))
def new_page(request: Request, place: Id | None = None) -> HTMLResponse:
    with transaction() as session:
        return _page(request, session, None, place_id=place)


@router.get("/devices/{device_id}", **may("viewer"))
def device_page(request: Request, device_id: Id) -> HTMLResponse:
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        return _page(request, session, row, place_id=row.place_id)


def _page(request: Request, session: Session, row: DeviceRow | None, *, place_id: int | None) -> HTMLResponse:
    site = site_of(session, site_id_of(request))
    used: dict[str, list[str]] = {}
    for link in links_of_site(session, site.id):
        for thing in (thing for effect in link.model.effects if effect.HELD == "coil" for thing in effect.things):
            used.setdefault(thing, []).append(link.name)
    return render(
        request,
        session,
        "device.html",
        stage="survey",
        device=row,
        place_id=place_id,
        places=site.places,
        kinds=DEVICE_KINDS,
        given_by=given_by,
        figures=FIGURES,
        kinds_with={group.title: [k.name for k in DEVICE_KINDS.values() if group in k.asks] for group in FIGURES},
        kind=DEVICE_KINDS[row.kind] if row else None,
        let_in=row is not None and has_password(session, row),
        used=used,
        timetables=[row.name for row in timetables_of(session, site.id)],
        takes=takes_of_device(session, row.id) if row else [],
        detectors=detectors_of_device(session, row.id) if row else [],
        offset_s=offset_s(site.zone),
        ingest=ingest_address(row.kind, row.code) if row else "",
        types=sorted(register_of(session, site.id).values(), key=lambda each: each.name),
        overview=overview(session, row) if row else None,
        settings=SETTINGS,
        switches=[d for d in devices_of_site(session, site.id) if d.kind == SWITCH and (row is None or d.id != row.id)],
        codes=[d.code for d in devices_of_site(session, site.id) if DEVICE_KINDS[d.kind].pictured],
        replacements=types_for(session, row) if row else [],
        states=_states(session, row) if row else [],
    )


def _states(session: Session, row: DeviceRow) -> list[tuple[RevisionRow, str]]:
    """Return the device's states, the newest first, each with what it changed."""
    saved = revisions_of(session, WHAT, [row.id])
    before = {each.number + 1: each for each in saved}
    return [
        (each, ", ".join(changed(before[each.number].document, each.document)) if each.number in before else "")
        for each in saved[:MOST_STATES]
    ]


@router.post("/devices", **may("engineer", "made a device"))
def add(request: Request, asked: Placed) -> Response:
    """The answer tells the token of a device that sends: this once."""
    with transaction() as session:
        row = devices.add_device(
            session,
            _place(request, session, asked.place_id),
            dict(asked.model_extra or {}),
            user_id=user_id(request),
        )
        tell(request, f"made the device {row.code}")
        return json_answer(_with_token(row))


@router.put("/devices/{device_id}", **may("engineer", "changed a device"))
def change(request: Request, device_id: Id, asked: Placed) -> Response:
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        place = _place(request, session, asked.place_id)
        devices.change_device(session, row, dict(asked.model_extra or {}), place=place, user_id=user_id(request))
        tell(request, f"changed the device {row.code}")
        return json_answer({"id": row.id})


def _place(request: Request, session: Session, place_id: int) -> PlaceRow:
    row = session.get(PlaceRow, place_id)
    if row is None or row.site_id != site_id_of(request):
        raise Refused([Fault("device: place_id", str(place_id), "a place of this site")])
    return row


@router.post("/devices/{device_id}/copy", **may("engineer", "copied a device"))
def copy(request: Request, device_id: Id, asked: Copied) -> Response:
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        made = devices.copy_device(session, row, code=asked.code, name=asked.name, user_id=user_id(request))
        tell(request, f"copied the device {row.code} to {made.code}")
        return json_answer(_with_token(made))


@router.put("/devices/{device_id}/retired", **may("engineer", "retired a device"))
def retire(request: Request, device_id: Id, retired: bool = Body(embed=True)) -> Response:
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        devices.set_retired(session, row, retired=retired, user_id=user_id(request))
        tell(request, f"retired the device {row.code}" if retired else f"took the device {row.code} up again")
        return json_answer({"id": row.id, "retired": row.retired})


@router.post("/devices/{device_id}/states/{number}", **may("engineer", "brought an earlier state of a device back"))
def restore(request: Request, device_id: Id, number: Id) -> Response:
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        saved = revision(session, WHAT, row.id, number)
        if saved is None:
            raise HTTPException(404, f"{row.code} has no state {number}.")
        devices.restore_device(session, row, saved, user_id=user_id(request))
        tell(request, f"brought state {number} of {row.code} back")
        return json_answer({"id": row.id})


@router.post("/devices/{device_id}/token", **may("engineer", "renewed a device's token"))
def renew(request: Request, device_id: Id) -> Response:
    """The old one is worth nothing from now on; the new one is told this once."""
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        if DEVICE_KINDS[row.kind].reached != "sends":
            raise Refused([Fault(f"device {row.code}", "has no token: it does not send to us", "a device that does")])
        devices.renew_token(row)
        tell(request, f"renewed the token of {row.code}")
        return json_answer(_with_token(row))


def _with_token(row: DeviceRow) -> dict[str, Any]:
    sends = DEVICE_KINDS[row.kind].reached == "sends"
    return {
        "id": row.id,
        "code": row.code,
        "token": row.token if sends else "",
        "ingest": ingest_address(row.kind, row.code),
    }


class Password(BaseModel):
    model_config = ConfigDict(extra="forbid")

    password: str = Field(max_length=MOST_CHARACTERS, repr=False)


@router.put("/devices/{device_id}/password", **may("engineer", "gave a device's password"))
def set_password(request: Request, device_id: Id, asked: Password) -> Response:
    """By which the device lets us in; sealed, and shown to nobody. Empty: it has none any more."""
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        if DEVICE_KINDS[row.kind].reached != "steered":
            raise Refused([Fault(f"device {row.code}", "is let in by no password", "a device that is steered")])
        keep_password(session, row, asked.password)
        tell(request, f"gave the password of {row.code}" if asked.password else f"took the password of {row.code} away")
        return json_answer({"id": row.id})


class Cured(BaseModel):
    model_config = ConfigDict(extra="forbid")

    kind: str = Field(max_length=40)
    text: str = Field(max_length=1000)


@router.post("/devices/{device_id}/cures", **may("engineer", "took a cure"))
def cure(request: Request, device_id: Id, asked: Cured) -> Response:
    """Take a cure that the page has shown, by its words."""
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        target, taken = take_cure(session, row, kind=asked.kind, text=asked.text, user_id=user_id(request))
        tell(request, f"took a cure for {row.code}: {taken.text}")
        return json_answer({"id": target.id})


@router.get("/devices/{device_id}/replacing", **may("viewer"))
def replacing(device_id: Id, to: Annotated[str, Query(alias="type", max_length=120)]) -> Response:
    """Return what a device of another type could not do of what this one does."""
    with transaction() as session:
        return json_answer({"cannot": cannot(session, session.get_one(DeviceRow, device_id), to)})


class Replaced(BaseModel):
    model_config = ConfigDict(extra="forbid")

    type: str = Field(max_length=120)
    firmware: str = Field(default="", max_length=40)


@router.post("/devices/{device_id}/replace", **may("engineer", "replaced a device"))
def replace(request: Request, device_id: Id, asked: Replaced) -> Response:
    """Replace a device by one of another type, with a token of its own; its detectors and takes stay."""
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        replace_device(session, row, asked.type, firmware=asked.firmware.strip() or None, user_id=user_id(request))
        devices.renew_token(row)
        tell(request, f"replaced {row.code} by a {asked.type}")
        return json_answer(_with_token(row))


@router.get("/devices/{device_id}/stream", **may("viewer"))
async def stream(request: Request, device_id: Id) -> EventSourceResponse:
    """States of the device, as the engine has them."""
    return follow(device_id, request.state.known.digest)


@router.post("/devices/{device_id}/try", **may("engineer"))
async def try_it(device_id: Id) -> Response:
    """Speak to it and say what was heard. Nothing is switched."""
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        live = row.place.site.live and not row.retired
        password = password_of(session, row)
        tried = Tried(row.id, row.code, row.kind, row.address, row.ability, list(row.outputs), live, password)
    return json_answer((await try_device(tried)).as_dict())
