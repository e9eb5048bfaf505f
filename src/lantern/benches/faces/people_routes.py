"""The page of lists of people: made, changed, deleted, restored."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException, Query, Request
from fastapi.responses import HTMLResponse, Response
from sqlalchemy.orm import Session

from lantern.benches.faces.people import HOLDING, keep_list, people_lists_shown, restore_list
from lantern.db.base import transaction
from lantern.db.numbers import Count, Id
from lantern.lists.actions import delete_list
from lantern.lists.tables import ListRow, list_of, saved_list
from lantern.revisions import hold
from lantern.sites.tables import site_of
from lantern.web.access import may, site_id_of
from lantern.web.answers import json_answer
from lantern.web.door import user_id
from lantern.web.pages import render

router = APIRouter()
Reason = Annotated[str, Query(max_length=400)]


def _data(request: Request, session: Session) -> dict[str, Any]:
    return people_lists_shown(session, site_of(session, site_id_of(request)))


def _row(session: Session, list_id: int) -> ListRow:
    row = list_of(session, list_id, holding=HOLDING)
    if row is None:
        raise HTTPException(404, f"There is no list {list_id} of people.")
    return row


@router.get("/people-lists", **may("viewer"))
def page(request: Request) -> HTMLResponse:
    with transaction() as session:
        return render(request, session, "people_lists.html", stage="link", data=_data(request, session))


@router.get("/people-lists/all", **may("viewer"))
def every_list(request: Request) -> Response:
    """Return what the page shows, anew."""
    with transaction() as session:
        return json_answer(_data(request, session))


@router.post("/people-lists", **may("engineer", "made a list of people"))
def make(request: Request, document: dict[str, Any] = Body()) -> Response:
    with transaction() as session:
        by = user_id(request)
        row = keep_list(session, site_id_of(request), document, list_id=None, reason="Made.", user_id=by)
        return json_answer({"id": row.id, "revision": row.revision})


@router.put("/people-lists/{list_id}", **may("engineer", "changed a list of people"))
def change(request: Request, list_id: Id, base: Count, reason: Reason, document: dict[str, Any] = Body()) -> Response:
    """`base`: the revision that was changed; refused where somebody else has changed it meanwhile."""
    with transaction() as session:
        site_id, by = _row(session, list_id).site_id, user_id(request)
        row = keep_list(session, site_id, document, list_id=list_id, base=base, reason=reason, user_id=by)
        return json_answer({"id": row.id, "revision": row.revision})


@router.delete("/people-lists/{list_id}", **may("engineer", "deleted a list of people"))
def remove(request: Request, list_id: Id, base: Count, reason: Reason = "Deleted.") -> Response:
    with transaction() as session:
        row = _row(session, list_id)
        hold(session, row, base)
        delete_list(session, row, reason=reason, user_id=user_id(request))
        return json_answer({"deleted": list_id})


@router.post("/people-lists/revisions/{revision_id}/restore", **may("engineer", "restored a list of people"))
def restore(request: Request, revision_id: Id, base: Count) -> Response:
    with transaction() as session:
        saved = saved_list(session, revision_id, holding=HOLDING)
        if saved is None:
            raise HTTPException(404, f"There is no revision {revision_id} of a list of people.")
        row = restore_list(session, saved, base=base, user_id=user_id(request))
        return json_answer({"id": row.id})
