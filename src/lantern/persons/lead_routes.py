"""What only leads may do with persons: erase, take out and bring in, say how long they are kept."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Body, HTTPException, Request
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field
from starlette.concurrency import run_in_threadpool

from lantern.core.faults import Fault, Refused
from lantern.core.portraits import fault_of
from lantern.db.base import transaction
from lantern.db.changes import tell_of_change
from lantern.db.numbers import Id
from lantern.jobs import defer_erasure
from lantern.lists.tables import ListRow, list_of
from lantern.persons.actions import HOLDING, KeyGoneError, enrol, fresh_member, members_of, note_seen, person_for
from lantern.persons.erasing import erase
from lantern.persons.files import Line, exported, list_as_zip, read_list
from lantern.persons.keeping import set_capture_hours, set_keeping
from lantern.persons.routes import PRIVATE
from lantern.persons.tables import PersonRow
from lantern.web.access import may, site_id_of
from lantern.web.answers import attachment, json_answer
from lantern.web.door import user_id
from lantern.web.outside import read_outside

router = APIRouter()


class Why(BaseModel):
    model_config = ConfigDict(extra="forbid")

    why: str = Field(min_length=1, max_length=400)


class Kept(BaseModel):
    model_config = ConfigDict(extra="forbid")

    legal_basis: str = Field(default="", max_length=400)
    keep_days: int | None = None


@router.post("/persons/{person_id}/erase", **may("lead", "erased somebody"))
def erase_person(request: Request, person_id: Id, said: Why) -> Response:
    """Erase somebody for good. The key is destroyed when this returns; a worker clears all places, and tells the devices."""
    with transaction() as session:
        row = erase(session, session.get_one(PersonRow, person_id), why=said.why, user_id=user_id(request))
        tell_of_change(session, "person")
        erasure_id = row.id
    defer_erasure(erasure_id)
    return json_answer({"erasure": erasure_id})


@router.post("/members/{member}/erase", **may("lead", "erased somebody"))
def erase_member(request: Request, member: str, said: Why) -> Response:
    """The same of somebody on a list of whom nothing else is known."""
    with transaction() as session:
        if member not in members_of(session, site_id_of(request)):
            raise HTTPException(404, "Nobody of that name is on a list.")
        person_id = person_for(session, site_id_of(request), member).id
    return erase_person(request, person_id, said)


@router.get("/persons/{person_id}/export.zip", **may("lead"))
def export_person(request: Request, person_id: Id) -> Response:
    """Return all that is stored of somebody."""
    with transaction() as session:
        person = session.get_one(PersonRow, person_id)
        if person.member is None:
            raise HTTPException(404, "They were erased: nothing is stored of them.")
        try:
            data = exported(session, person)
        except KeyGoneError as error:
            raise HTTPException(404, str(error)) from error
        note_seen(session, person.site_id, user_id(request), "all that is stored, as a file", person.uuid)
        return Response(data, 200, attachment("person.zip") | PRIVATE, "application/zip")


@router.get("/people-lists/{list_id}/people.zip", **may("lead"))
def export_list(request: Request, list_id: Id) -> Response:
    """Return a list's members with their names and pictures."""
    with transaction() as session:
        row = _list(list_of(session, list_id, holding=HOLDING))
        try:
            data = list_as_zip(session, row)
        except KeyGoneError as error:
            raise HTTPException(404, str(error)) from error
        note_seen(session, row.site_id, user_id(request), "a whole list with pictures, as a file")
        return Response(data, 200, attachment("people.zip") | PRIVATE, "application/zip")


def _list(row: ListRow | None) -> ListRow:
    if row is None:
        raise HTTPException(404, "There is no such list of people.")
    return row


@router.put("/people-lists/{list_id}/people.zip", **may("lead", "enrolled people from a file"))
async def bring_list(request: Request, list_id: Id) -> Response:
    """The body is such a file: whoever is in it is enrolled and stands on the list; all of them or nobody."""
    lines = await read_outside(request, read_list, name="the zip")
    return await run_in_threadpool(_bring, request, list_id, lines)


def _bring(request: Request, list_id: int, lines: list[Line]) -> Response:
    poor = [(line, fault_of(line.portrait.measures)) for line in lines if line.portrait is not None]
    faults = [Fault(line.member or line.name, fault.what, fault.expected) for line, fault in poor if fault is not None]
    if faults:
        raise Refused(faults)
    with transaction() as session:
        site_id, by = site_id_of(request), user_id(request)
        row = _list(list_of(session, list_id, holding=HOLDING))
        for line in lines:
            member = line.member or fresh_member(session, site_id)
            enrol(
                session, site_id, member=member, name=line.name or None, portrait=line.portrait, said=None, lists=[row],
                user_id=by,
            )  # fmt: skip
        tell_of_change(session, "person")
        return json_answer({"people": len(lines)})


@router.put("/people-lists/{list_id}/keeping", **may("lead", "said for how long a list of people is kept"))
def keep_list(request: Request, list_id: Id, kept: Kept) -> Response:
    with transaction() as session:
        row = _list(list_of(session, list_id, holding=HOLDING))
        set_keeping(session, row.id, legal_basis=kept.legal_basis, keep_days=kept.keep_days)
        return json_answer({"id": row.id})


@router.put("/persons/keeping", **may("lead", "said for how long pictures of looks are kept"))
def keep_captures(request: Request, hours: Annotated[int, Body(embed=True)]) -> Response:
    with transaction() as session:
        set_capture_hours(session, site_id_of(request), hours)
        return json_answer({"hours": hours})
