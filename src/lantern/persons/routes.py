"""The page of persons: looked at, enrolled, given to the galleries of devices."""

from __future__ import annotations

import base64
from dataclasses import asdict
from typing import Annotated, Any

from fastapi import APIRouter, HTTPException, Request
from fastapi.responses import HTMLResponse, Response
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from lantern.core.faults import Fault, Refused
from lantern.core.portraits import cautions, fault_of
from lantern.core.roles import suffices
from lantern.db.base import transaction
from lantern.db.changes import tell_of_change
from lantern.db.numbers import Id
from lantern.devices.gallery import Enrolment
from lantern.formats.pictures import MOST_BYTES
from lantern.formats.portraits import read_portrait
from lantern.lists.tables import ListRow, list_of
from lantern.persons.actions import (
    HOLDING,
    KeyGoneError,
    Portrait,
    enrol,
    fresh_member,
    members_of,
    note_seen,
    person_for,
    portrait_of,
    rename,
)
from lantern.persons.captures import picture_of
from lantern.persons.gallery import ask_first, bound_to, galleries_of, push
from lantern.persons.shown import SEES_NAMES, page_of
from lantern.persons.tables import PersonRow, captures_of, person_named
from lantern.register.tables import DeviceRow
from lantern.sites.tables import site_of
from lantern.web.access import may, site_id_of
from lantern.web.answers import json_answer
from lantern.web.door import user_id
from lantern.web.outside import read_given
from lantern.web.pages import render

router = APIRouter()
Name = Annotated[str, Field(max_length=200)]
PRIVATE = {"Cache-Control": "no-store", "X-Content-Type-Options": "nosniff"}


class Shot(BaseModel):
    """A look whose picture is meant: of a device, by its name."""

    model_config = ConfigDict(extra="forbid")

    device_id: Id
    probe: Name


class Pictured(BaseModel):
    """A picture: in base64, or that of a look. Names and pictures stand in a body, never in an address, which logs keep."""

    model_config = ConfigDict(extra="forbid")

    picture: Annotated[str, Field(max_length=4 * (MOST_BYTES // 3 + 1))] | None = None
    look: Shot | None = None
    lists: list[Id] = Field(
        default=[], max_length=50, description="on which they are to stand: their devices are asked"
    )


class Known(Pictured):
    """Somebody who is to be known. `member`: by which name devices know them; empty: a new one is made."""

    member: Name = ""
    name: Name = ""
    even_so: bool = Field(default=False, description="though the picture is poor, or somebody looks the same")


class Called(BaseModel):
    model_config = ConfigDict(extra="forbid")

    name: Name


@router.get("/persons", **may("viewer"))
def persons_page(request: Request) -> HTMLResponse:
    with transaction() as session:
        data = _page(request, session)
        return render(request, session, "persons.html", stage="link", data=data)


@router.get("/persons/all", **may("viewer"))
def everybody(request: Request) -> Response:
    """Return what the page shows, anew."""
    with transaction() as session:
        return json_answer(_page(request, session), headers=PRIVATE)


def _page(request: Request, session: Session) -> dict[str, Any]:
    site_id, role = site_id_of(request), request.state.role
    data = page_of(session, site_id, role)
    if suffices(role, SEES_NAMES) and any(each["named"] for each in data["persons"]):
        note_seen(session, site_id, user_id(request), "the names of all")
    return data | {"zone": site_of(session, site_id).zone}


# ---- looked at -------------------------------------------------------------------------------------------------------


@router.get("/persons/{person_id}/portrait", **may("operator"))
def portrait(request: Request, person_id: Id) -> Response:
    """Return the picture that somebody is known by; that it was looked at is kept."""
    with transaction() as session:
        person = session.get_one(PersonRow, person_id)
        try:
            held = portrait_of(session, person)
        except KeyGoneError as error:
            raise HTTPException(404, str(error)) from error
        if held is None:
            raise HTTPException(404, "There is no picture of them.")
        note_seen(session, person.site_id, user_id(request), "a portrait", person.uuid)
        return Response(held.data, media_type=held.kind, headers=PRIVATE)


@router.get("/members/{member}/portrait", **may("operator"))
def portrait_of_member(request: Request, member: str) -> Response:
    """The same, by what devices call them."""
    with transaction() as session:
        person = person_named(session, site_id_of(request), member)
        if person is None:
            raise HTTPException(404, "Nobody of that name is known.")
        person_id = person.id
    return portrait(request, person_id)


@router.get("/persons/{person_id}/looks", **may("operator"))
def looks_of(request: Request, person_id: Id) -> Response:
    """Return the looks at somebody whose pictures are kept, the newest first."""
    with transaction() as session:
        rows = list(captures_of(session, person_id))[::-1][:60]
        shown = [
            {"device": row.device_id, "probe": row.probe, "at": row.at.timestamp(), "goes": row.goes.timestamp()}
            for row in rows
        ]
        return json_answer({"looks": shown}, headers=PRIVATE)


@router.get("/devices/{device_id}/looks/{probe:path}", **may("operator"))
def picture_of_look(request: Request, device_id: Id, probe: str) -> Response:
    """Return the picture of a look; that it was looked at is kept."""
    with transaction() as session:
        found = picture_of(session, device_id, probe)
        if found is None:
            raise HTTPException(404, "There is no picture of this look, or its time is over.")
        row, data, kind = found
        person = None if row.person_id is None else session.get(PersonRow, row.person_id)
        of = row.id if person is None else person.uuid
        note_seen(session, site_id_of(request), user_id(request), "a picture of a look", of)
        return Response(data, media_type=kind, headers=PRIVATE)


# ---- enrolled --------------------------------------------------------------------------------------------------------


@router.post("/persons/check", **may("engineer"))
async def check(request: Request, asked: Pictured) -> Response:
    """Say what a picture is worth: what is measured of it here, and what a device that would hold it says."""
    read = await _portrait_in(request, asked)
    said, code = await run_in_threadpool(_asked_first, site_id_of(request), asked.lists, read)
    return json_answer(_judged(read, said, code), headers=PRIVATE)


@router.post("/persons", **may("engineer", "enrolled somebody"))
async def know(request: Request, asked: Known) -> Response:
    """Have somebody be known. Refused where the device refuses the picture; the rest is asked about, and done `even_so`."""
    given = asked.picture is not None or asked.look is not None
    read = await _portrait_in(request, asked) if given else None
    return await run_in_threadpool(_know, request, asked, read)


def _know(request: Request, asked: Known, read: Portrait | None) -> Response:
    site_id, by = site_id_of(request), user_id(request)
    said, code = (None, None) if read is None else _asked_first(site_id, asked.lists, read)
    with transaction() as session:
        member = asked.member.strip() or fresh_member(session, site_id)
        _check(read, said, code, member, even_so=asked.even_so)
        lists = _lists(session, site_id, asked.lists)
        called = asked.name if asked.name.strip() else None
        if called is None and read is None and not lists:
            raise Refused([Fault("person", "has neither name, picture nor list", "one of them at least")])
        person = enrol(
            session, site_id, member=member, name=called, portrait=read, said=said, lists=lists, user_id=by,
            from_device=code,
        )  # fmt: skip
        tell_of_change(session, "person")
        answer = {"id": person.id, "member": member}
        devices = [device.id for device in _devices_of(session, site_id, member)]
    left = {device_id: bool(push(device_id)) for device_id in devices}
    return json_answer(answer | {"pending": sum(left.values())}, headers=PRIVATE)


def _check(read: Portrait | None, said: Enrolment | None, code: str | None, member: str, *, even_so: bool) -> None:
    """Raises `Refused` for a picture by which nobody can be known, or which somebody should look at once more."""
    if read is None:
        return
    if said is not None and not said.accepted:
        raise Refused([Fault("picture", f"{code} refuses it: {'; '.join(said.reasons)}", "another picture")])
    if even_so:
        return
    faults = [Fault("picture", each, "a better picture, or enrol it even so") for each in cautions(read.measures)]
    if said is not None and said.duplicate_of not in (None, member):
        what = f"{code} holds somebody who looks the same: {said.duplicate_of}"
        faults.append(Fault("picture", what, "that person's own entry, or enrol them even so"))
    if faults:
        raise Refused(faults)


async def _portrait_in(request: Request, asked: Pictured) -> Portrait:
    """Return the picture, read apart. Raises `Refused`."""
    data = await run_in_threadpool(_bytes_of, request, asked)
    plain, kind, measures = await read_given(request, read_portrait, data, name="picture")
    fault = fault_of(measures)
    if fault is not None:
        raise Refused([fault])
    return Portrait(plain, kind, measures)


def _bytes_of(request: Request, asked: Pictured) -> bytes:
    if asked.picture is not None:
        try:
            return base64.b64decode(asked.picture, validate=True)
        except ValueError as error:
            raise Refused([Fault("picture", "is no base64", "a JPEG or PNG in base64")]) from error
    with transaction() as session:
        look = asked.look
        device = None if look is None else session.get(DeviceRow, look.device_id)
        if look is None or device is None or device.site_id != site_id_of(request):
            raise Refused([Fault("picture", "is missing", "a picture, or a look of a device of this site")])
        found = picture_of(session, device.id, look.probe)
        if found is None:
            raise Refused([Fault("look", "has no picture, or its time is over", "a picture")])
        return found[1]


def _asked_first(site_id: int, list_ids: list[int], read: Portrait) -> tuple[Enrolment | None, str | None]:
    """Return what a device says that is to hold the members of these lists; of no list: any device with a gallery."""
    with transaction() as session:
        bodies = [row.body for row in _lists(session, site_id, list_ids)]
        devices = galleries_of(session, site_id)
        bound = [device for device in devices if any(bound_to(device, body) for body in bodies)]
        session.expunge_all()
    return ask_first(bound or devices, read.data, read.kind)


def _lists(session: Session, site_id: int, list_ids: list[int]) -> list[ListRow]:
    found = [list_of(session, list_id, holding=HOLDING) for list_id in list_ids]
    rows = [row for row in found if row is not None and row.site_id == site_id]
    if len(rows) < len(list_ids):
        raise Refused([Fault("lists", "one of them is not there", "lists of people of this site")])
    return rows


def _devices_of(session: Session, site_id: int, member: str) -> list[DeviceRow]:
    on = members_of(session, site_id).get(member, ())
    return [device for device in galleries_of(session, site_id) if any(bound_to(device, row.body) for row in on)]


def _judged(read: Portrait, said: Enrolment | None, code: str | None) -> dict[str, Any]:
    return {
        "measures": asdict(read.measures),
        "cautions": cautions(read.measures),
        "said": None if said is None else said.model_dump(exclude={"features"}) | {"by": code},
    }


@router.put("/persons/{person_id}/name", **may("engineer", "gave somebody a name"))
def call(request: Request, person_id: Id, called: Called) -> Response:
    with transaction() as session:
        rename(session, session.get_one(PersonRow, person_id), called.name)
        return json_answer({"id": person_id}, headers=PRIVATE)


@router.put("/members/{member}/name", **may("engineer", "gave somebody a name"))
def call_member(request: Request, member: str, called: Called) -> Response:
    """The same for somebody on a list of whom nothing else is known yet."""
    with transaction() as session:
        if member not in members_of(session, site_id_of(request)):
            raise HTTPException(404, "Nobody of that name is on a list.")
        person = person_for(session, site_id_of(request), member)
        rename(session, person, called.name)
        return json_answer({"id": person.id}, headers=PRIVATE)


@router.post("/devices/{device_id}/gallery", **may("engineer", "brought a gallery up to date"))
def bring_up_to_date(request: Request, device_id: Id) -> Response:
    """Give a device whom it is to hold, and have it let go the others."""
    left = push(device_id)
    return json_answer({"given": len(left.given), "let_go": len(left.let_go)})
