"""The link sheet: all links of a site as one matrix, changed in place, out as a table and in again."""

from __future__ import annotations

from functools import partial
from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException, Query, Request
from fastapi.responses import HTMLResponse, Response
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from lantern.core.linking.table import COLUMNS, NEEDED, rows_of
from lantern.core.wording import many
from lantern.db.base import transaction
from lantern.db.numbers import Count, Id
from lantern.formats.sheets import Row, read_sheet, write_csv, write_xlsx
from lantern.links.actions import DELETED, save_link_of
from lantern.links.sheet import sheet_shown, take_table
from lantern.links.shown import link_shown, site_shown
from lantern.links.tables import LinkRow, links_of_site
from lantern.links.would import would
from lantern.revisions import hold, remove
from lantern.web.access import may, site_id_of, tell
from lantern.web.answers import attachment, json_answer
from lantern.web.door import user_id
from lantern.web.ledger import XLSX
from lantern.web.outside import read_outside
from lantern.web.pages import render

router = APIRouter()
Reason = Annotated[str, Query(max_length=400)]
BROUGHT_IN = "Brought in from a table."


@router.get("/link-sheet", **may("viewer"))
def page(request: Request) -> HTMLResponse:
    with transaction() as session:
        site_id = site_id_of(request)
        data = sheet_shown(session, site_id) | site_shown(session, site_id)
        return render(request, session, "sheet.html", stage="link", detector=None, data=data)


@router.get("/link-sheet/rows", **may("viewer"))
def rows(request: Request) -> Response:
    """Return the sheet anew, after a change."""
    with transaction() as session:
        return json_answer(sheet_shown(session, site_id_of(request)))


@router.post("/link-sheet/links", **may("engineer", "made a link"))
def make(request: Request, document: dict[str, Any] = Body()) -> Response:
    """The document names its cause."""
    with transaction() as session:
        by = user_id(request)
        return json_answer(link_shown(save_link_of(session, site_id_of(request), document, link_id=None, user_id=by)))


@router.put("/link-sheet/links/{link_id}", **may("engineer", "changed a link"))
def change(request: Request, link_id: Id, base: Count, reason: Reason, document: dict[str, Any] = Body()) -> Response:
    """`base`: the revision that was changed; refused where somebody else has changed it meanwhile."""
    with transaction() as session:
        site_id, by = _link(session, link_id).site_id, user_id(request)
        row = save_link_of(session, site_id, document, link_id=link_id, base=base, reason=reason, user_id=by)
        return json_answer(link_shown(row))


@router.delete("/link-sheet/links/{link_id}", **may("engineer", "deleted a link"))
def delete(request: Request, link_id: Id, base: Count, reason: Reason = DELETED) -> Response:
    with transaction() as session:
        found = _link(session, link_id)
        hold(session, found, base)
        remove(session, found, reason=reason, user_id=user_id(request))
        return json_answer({"deleted": link_id})


@router.get("/link-sheet/links/{link_id}/would", **may("viewer"))
def would_have(link_id: Id) -> Response:
    """What the link would have done on the takes of its cause."""
    with transaction() as session:
        return json_answer(would(session, _link(session, link_id)))


def _link(session: Session, link_id: int) -> LinkRow:
    found = session.get(LinkRow, link_id)
    if found is None:
        raise HTTPException(404, f"There is no link {link_id}.")
    return found


@router.get("/link-sheet.{form}", **may("viewer"))
def table(request: Request, form: str) -> Response:
    """All links as a file that comes in again: `csv` or `xlsx`, a row an effect."""
    if form not in ("csv", "xlsx"):
        raise HTTPException(404, "The sheet goes out as csv or as xlsx.")
    with transaction() as session:
        links = [row.model for row in links_of_site(session, site_id_of(request))]
    if form == "csv":
        return Response(write_csv(COLUMNS, rows_of(links)), 200, attachment("links.csv"), "text/csv; charset=utf-8")
    return Response(write_xlsx("links", COLUMNS, rows_of(links)), 200, attachment("links.xlsx"), XLSX)


@router.post("/link-sheet/table", **may("engineer"))
async def bring_in(
    request: Request, name: str = Query(default="the table", max_length=200), store: bool = False, reason: Reason = ""
) -> Response:
    """The body is a CSV or an XLSX. What it would change, with every fault by its cell; stored only where that is asked for, and
    where there is no fault.
    """
    where = name or "the table"
    read = await read_outside(request, partial(read_sheet, columns=COLUMNS, where=where, needed=NEEDED), name=where)
    return await run_in_threadpool(_bring_in, request, read, store, reason.strip() or BROUGHT_IN)


def _bring_in(request: Request, read: list[Row], store: bool, reason: str) -> Response:
    with transaction() as session:
        by = user_id(request)
        report = take_table(session, site_id_of(request), read, store=store, reason=reason, user_id=by)
        stored = store and not report.faults
        if stored:
            changed = len(report.changed)
            tell(request, f"brought in {many(len(report.new), 'link')} from a table, and changed {changed}")
    return json_answer(report.as_dict() | {"stored": stored}, 422 if store and report.faults else 200)
