"""Lists of people: who is on them, who reads them, what is wrong."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from datetime import datetime
from functools import partial
from typing import Any
from zoneinfo import ZoneInfo

from fastapi import Request
from fastapi.responses import Response
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from lantern.core.faces.detector import FaceList
from lantern.core.faces.findings import findings
from lantern.core.modelled import read_model
from lantern.core.roles import suffices
from lantern.db.base import transaction
from lantern.db.numbers import Count, Id
from lantern.lists.actions import save_list
from lantern.lists.pages import ListPages, Reason, list_router
from lantern.lists.shown import changes_shown, readers_of
from lantern.lists.tables import lists_of
from lantern.persons.gallery import galleries_of, known_by_picture
from lantern.signals.faces.list_files import read_members, write_members
from lantern.sites.tables import SiteRow
from lantern.web.access import may
from lantern.web.answers import attachment, json_answer
from lantern.web.door import user_id
from lantern.web.outside import read_outside

HOLDING = "members"


def checked(document: Mapping[str, Any]) -> dict[str, Any]:
    """Return a list's document, whole. Raises `Refused`."""
    return read_model(FaceList, document, where="list").model_dump(mode="json")


def lists_shown(session: Session, site: SiteRow) -> dict[str, Any]:
    """Return all lists of people with their members, who reads them, and what is wrong."""
    rows = lists_of(session, site.id, holding=HOLDING)
    models = [read_model(FaceList, row.body, where=f"list {row.name}") for row in rows]
    readers = readers_of(session, site.id, rows)
    found = findings(models, readers, datetime.now(ZoneInfo(site.zone)).date(), known_by_picture(session, site.id))
    return {
        "lists": [
            {"id": row.id, "revision": row.revision, "readers": readers[row.name]} | model.model_dump(mode="json")
            for row, model in zip(rows, models, strict=True)
        ],
        "findings": [asdict(each) for each in found],
        "devices": [device.code for device in galleries_of(session, site.id)],
        "changes": changes_shown(session, site.id, holding=HOLDING, items=lambda body: set(body[HOLDING])),
    }


def _leads(request: Request) -> dict[str, Any]:
    return {"leads": suffices(request.state.role, "lead")}


PAGES = ListPages("/people-lists", "people_lists.html", HOLDING, "a list of people", checked, lists_shown, also=_leads)
router = list_router(PAGES)


@router.get("/people-lists/{list_id}/members.csv", **may("viewer"))
def members_csv(list_id: Id) -> Response:
    with transaction() as session:
        row = PAGES.row(session, list_id)
        text = write_members(row.body[HOLDING])
        return Response(text, 200, attachment(f"{row.name}.csv"), "text/csv; charset=utf-8")


@router.put("/people-lists/{list_id}/members.csv", **may("engineer", "brought a list's members in from a file"))
async def bring_members(request: Request, list_id: Id, base: Count, reason: Reason) -> Response:
    """The body is the file: its members in place of those there are."""
    members = await read_outside(request, partial(read_members, where="list file"), name="list file")
    return await run_in_threadpool(_bring, request, list_id, base, reason, members)


def _bring(request: Request, list_id: int, base: int, reason: str, members: list[str]) -> Response:
    with transaction() as session:
        row, by = PAGES.row(session, list_id), user_id(request)
        body = checked(row.body | {HOLDING: members})
        kept = save_list(session, row.site_id, body, list_id=list_id, base=base, reason=reason, user_id=by)
        return json_answer({"id": kept.id, "revision": kept.revision, "members": len(members)})
