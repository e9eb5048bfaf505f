"""The page of lists of plates: entries as CSV; one that goes is gone everywhere."""

from __future__ import annotations

from functools import partial
from typing import Any

from fastapi import Request
from fastapi.responses import Response
from starlette.concurrency import run_in_threadpool

from lantern.benches.plates.lists import checked, lists_shown, remove_entry, without_removed
from lantern.db.base import transaction
from lantern.db.numbers import Count, Id
from lantern.lists.actions import save_list
from lantern.lists.pages import ListPages, Reason, list_router
from lantern.signals.plates.list_files import read_entries, write_entries
from lantern.web.access import may
from lantern.web.answers import attachment, json_answer
from lantern.web.door import user_id
from lantern.web.outside import read_outside

PAGES = ListPages("/lists", "lists.html", "entries", "a list of plates", checked, lists_shown, without_removed)
router = list_router(PAGES)


@router.delete("/lists/{list_id}/entries/{entry}", **may("engineer", "removed a list's entry"))
def take_off(request: Request, list_id: Id, entry: str, base: Count) -> Response:
    """Its text goes out of every revision, event and read of the site."""
    with transaction() as session:
        return json_answer(
            remove_entry(session, PAGES.row(session, list_id), entry, base=base, user_id=user_id(request))
        )


@router.get("/lists/{list_id}/entries.csv", **may("viewer"))
def entries_csv(list_id: Id) -> Response:
    with transaction() as session:
        row = PAGES.row(session, list_id)
        text = write_entries(row.body["entries"])
        return Response(text, 200, attachment(f"{row.name}.csv"), "text/csv; charset=utf-8")


@router.put("/lists/{list_id}/entries.csv", **may("engineer", "brought a list's entries in from a file"))
async def bring_entries(request: Request, list_id: Id, base: Count, reason: Reason) -> Response:
    """The body is the file: its entries in place of those there are."""
    entries = await read_outside(request, partial(read_entries, where="list file"), name="list file")
    return await run_in_threadpool(_bring, request, list_id, base, reason, entries)


def _bring(request: Request, list_id: int, base: int, reason: str, entries: list[dict[str, Any]]) -> Response:
    with transaction() as session:
        row = PAGES.row(session, list_id)
        known = {each["text"]: each.get("id") for each in row.body["entries"]}
        document = row.body | {"entries": [each | {"id": known.get(each["text"])} for each in entries]}
        by = user_id(request)
        kept = save_list(session, row.site_id, checked(document), list_id=list_id, base=base, reason=reason, user_id=by)
        return json_answer({"id": kept.id, "revision": kept.revision, "entries": len(entries)})
