"""The page of lists: made, changed, restored; entries as CSV; one that goes is gone everywhere."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException, Query, Request
from fastapi.responses import HTMLResponse, Response
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from lantern.benches.plates.lists import changes, keep_list, lists_shown, remove_entry, restore_list
from lantern.db.base import transaction
from lantern.db.numbers import Count, Id
from lantern.lists.actions import delete_list
from lantern.lists.shown import COLOURS
from lantern.lists.tables import ListRow, list_of, saved_list
from lantern.revisions import hold
from lantern.signals.plates.list_files import read_entries, write_entries
from lantern.sites.tables import site_of
from lantern.web.access import may, site_id_of
from lantern.web.answers import attachment, json_answer
from lantern.web.door import user_id
from lantern.web.pages import render

router = APIRouter()
Reason = Annotated[str, Query(max_length=400)]


def _data(request: Request, session: Session) -> dict[str, Any]:
    site = site_of(session, site_id_of(request))
    changed = changes(session, site.id)
    return lists_shown(session, site) | {"changes": changed, "colours": COLOURS, "zone": site.zone}


def _row(session: Session, list_id: int) -> ListRow:
    row = list_of(session, list_id, holding="entries")
    if row is None:
        raise HTTPException(404, f"There is no list {list_id}.")
    return row


@router.get("/lists", **may("viewer"))
def lists_page(request: Request) -> HTMLResponse:
    with transaction() as session:
        return render(request, session, "lists.html", stage="link", data=_data(request, session))


@router.get("/lists/all", **may("viewer"))
def every_list(request: Request) -> Response:
    """Return what the page shows, anew."""
    with transaction() as session:
        return json_answer(_data(request, session))


@router.post("/lists", **may("engineer", "made a list"))
def make(request: Request, document: dict[str, Any] = Body()) -> Response:
    with transaction() as session:
        site_id, by = site_of(session, site_id_of(request)).id, user_id(request)
        row = keep_list(session, site_id, document, list_id=None, base=0, reason="Made.", user_id=by)
        return json_answer({"id": row.id, "revision": row.revision})


@router.put("/lists/{list_id}", **may("engineer", "changed a list"))
def change(request: Request, list_id: Id, base: Count, reason: Reason, document: dict[str, Any] = Body()) -> Response:
    """`base`: the revision that was changed; refused where somebody else has changed it meanwhile."""
    with transaction() as session:
        site_id, by = _row(session, list_id).site_id, user_id(request)
        row = keep_list(session, site_id, document, list_id=list_id, base=base, reason=reason, user_id=by)
        return json_answer({"id": row.id, "revision": row.revision})


@router.delete("/lists/{list_id}", **may("engineer", "deleted a list"))
def remove(request: Request, list_id: Id, base: Count, reason: Reason = "Deleted.") -> Response:
    with transaction() as session:
        row = _row(session, list_id)
        hold(session, row, base)
        delete_list(session, row, reason=reason, user_id=user_id(request))
        return json_answer({"deleted": list_id})


@router.delete("/lists/{list_id}/entries/{entry}", **may("engineer", "removed a list's entry"))
def take_off(request: Request, list_id: Id, entry: str, base: Count) -> Response:
    """Its text goes out of every revision, event and read of the site."""
    with transaction() as session:
        return json_answer(remove_entry(session, _row(session, list_id), entry, base=base, user_id=user_id(request)))


@router.get("/lists/{list_id}/entries.csv", **may("viewer"))
def entries_csv(list_id: Id) -> Response:
    with transaction() as session:
        row = _row(session, list_id)
        text = write_entries(row.body["entries"])
        return Response(text, 200, attachment(f"{row.name}.csv"), "text/csv; charset=utf-8")


@router.put("/lists/{list_id}/entries.csv", **may("engineer", "brought a list's entries in from a file"))
async def bring_entries(request: Request, list_id: Id, base: Count, reason: Reason) -> Response:
    """The body is the file: its entries in place of those there are."""
    return await run_in_threadpool(_bring, request, list_id, base, reason, await request.body())


def _bring(request: Request, list_id: int, base: int, reason: str, data: bytes) -> Response:
    entries = read_entries(data, where="list file")
    with transaction() as session:
        row = _row(session, list_id)
        known = {each["text"]: each.get("id") for each in row.body["entries"]}
        document = row.body | {"entries": [each | {"id": known.get(each["text"])} for each in entries]}
        by = user_id(request)
        kept = keep_list(session, row.site_id, document, list_id=list_id, base=base, reason=reason, user_id=by)
        return json_answer({"id": kept.id, "revision": kept.revision, "entries": len(entries)})


@router.post("/lists/revisions/{revision_id}/restore", **may("engineer", "restored a list"))
def restore(request: Request, revision_id: Id, base: Count) -> Response:
    """`base`: the number of the list's newest revision, as the page has it."""
    with transaction() as session:
        saved = saved_list(session, revision_id, holding="entries")
        if saved is None:
            raise HTTPException(404, f"There is no revision {revision_id} of a list.")
        row = restore_list(session, saved, base=base, user_id=user_id(request))
        return json_answer({"id": row.id, "revision": row.revision})
