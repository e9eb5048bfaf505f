"""All devices of the site as a table: sorted, filtered, exported, and brought in from a spreadsheet."""

from __future__ import annotations

from functools import partial
from typing import Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import Response
from starlette.concurrency import run_in_threadpool

from lantern.core.wording import many
from lantern.db.base import transaction
from lantern.formats.sheets import Row, read_sheet, write_csv
from lantern.register.listed import LEDGER, ON_PAGE, devices_query
from lantern.register.sheet import COLUMNS, NEEDED, READ, abilities_said, take_rows
from lantern.sites.tables import site_of
from lantern.tune.tables import cautions_on
from lantern.web.access import may, site_id_of, tell
from lantern.web.answers import attachment, json_answer
from lantern.web.door import user_id
from lantern.web.ledger import EXPORT
from lantern.web.outside import read_outside
from lantern.web.pages import render

router = APIRouter()


@router.get("/devices", **may("viewer"))
def page(request: Request) -> Response:
    """The table; with `export=csv` or `xlsx` in the address, what is asked for as a file that comes in again."""
    asked = LEDGER.asked(request)
    with transaction() as session:
        site = site_of(session, site_id_of(request))
        query = devices_query(site.id)
        form = request.query_params.get(EXPORT)
        if form:
            return LEDGER.export(session, query, asked, form, zone=site.zone, out={"abilities": _on})
        listed = LEDGER.read(session, query, asked)
        cautions = cautions_on(session, [row.id for row in listed.rows])
        return render(request, session, "devices.html", stage="survey", list=listed, hidden=ON_PAGE, cautions=cautions)


def _on(row: Any) -> str:
    return abilities_said(row.on)


@router.get("/devices.example.csv", **may("viewer"))
def example() -> Response:
    """An empty table with the columns that may stand in it."""
    row = ["V9", "Camera over the ramp", "Yard", "camera", "fixed camera", "9.80", "", "", 1280, 720, 10]
    return Response(write_csv(COLUMNS, [row]), 200, attachment("devices.csv"), "text/csv; charset=utf-8")


@router.post("/devices/table", **may("engineer"))
async def bring_in(
    request: Request, name: str = Query(default="the table", max_length=200), store: bool = False
) -> Response:
    """The body is a CSV or an XLSX. What it would do, with every fault by its row; stored only where that is asked for, and
    where there is no fault.
    """
    where = name or "the table"
    rows = await read_outside(request, partial(read_sheet, columns=READ, where=where, needed=NEEDED), name=where)
    return await run_in_threadpool(_bring_in, request, rows, store)


def _bring_in(request: Request, rows: list[Row], store: bool) -> Response:
    with transaction() as session:
        report = take_rows(session, site_id_of(request), rows, store=store, user_id=user_id(request))
        if store and not report.faults:
            tell(
                request, f"brought in {many(len(report.new), 'device')} from a table, and changed {len(report.changed)}"
            )
    return json_answer(
        report.as_dict() | {"stored": store and not report.faults}, 422 if store and report.faults else 200
    )
