"""All devices of the site as a table: sorted, filtered, exported, and brought in from a spreadsheet."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import Response
from sqlalchemy import Float, Integer, Select, String, case, cast, func, select
from starlette.concurrency import run_in_threadpool

from lantern.db.base import transaction
from lantern.formats.sheets import write_csv
from lantern.register.sheet import COLUMNS, abilities_said, take_rows
from lantern.register.tables import DeviceRow
from lantern.sites.tables import PlaceRow, site_of
from lantern.tune.tables import DetectorRow
from lantern.web.access import may, site_id_of, tell
from lantern.web.answers import attachment, json_answer
from lantern.web.door import user_id
from lantern.web.ledger import EXPORT, Column, Ledger
from lantern.web.pages import render

router = APIRouter()
_counted = select(func.count(DetectorRow.id)).where(
    DetectorRow.device_id == DeviceRow.id, DetectorRow.retired.is_(False)
)
_amiss = select(func.count(DetectorRow.id)).where(DetectorRow.device_id == DeviceRow.id, DetectorRow.caution != "")
WRONG = _amiss.scalar_subquery() + func.jsonb_array_length(DeviceRow.cautions)


def _setting(column: Any, key: str, kind: Any = String) -> Any:
    return column[key].astext.cast(kind)


LEDGER = Ledger(
    "devices",
    (
        Column("code", "code", DeviceRow.code),
        Column("name", "name", DeviceRow.name),
        Column("place", "place", PlaceRow.name, choices=True),
        Column("kind", "kind", DeviceRow.kind, choices=True),
        Column("type", "type", DeviceRow.type, choices=True),
        Column("firmware", "firmware", DeviceRow.firmware),
        Column("switch", "hangs on", DeviceRow.switch, choices=True),
        Column("port", "port", DeviceRow.port),
        Column("width", "width", _setting(DeviceRow.ability, "width", Integer), num=True),
        Column("height", "height", _setting(DeviceRow.ability, "height", Integer), num=True),
        Column("fps", "Hz", _setting(DeviceRow.ability, "fps", Float), num=True),
        Column("url", "url", _setting(DeviceRow.address, "url")),
        Column("host", "host", _setting(DeviceRow.address, "host")),
        Column("modbus_port", "port", _setting(DeviceRow.address, "port", Integer)),
        Column("unit", "unit", _setting(DeviceRow.address, "unit", Integer)),
        Column("abilities", "on", cast(DeviceRow.extras["abilities"], String)),
        Column("retired", "retired", case((DeviceRow.retired, "yes"), else_="no"), choices=True),
        Column("detectors", "detectors", _counted.scalar_subquery(), num=True),
        Column("cautions", "cautions", WRONG),
    ),
    "code",
)
ON_PAGE = ("width", "height", "fps", "url", "host", "modbus_port", "unit", "abilities")  # left out there


def devices_query(site_id: int) -> Select[Any]:
    columns = [column.of.label(column.key) for column in LEDGER.columns]
    told = (DeviceRow.id, DeviceRow.cautions.label("wrong"), DeviceRow.extras["abilities"].label("on"))
    query = select(*told, *columns).join(PlaceRow, PlaceRow.id == DeviceRow.place_id)
    return query.where(DeviceRow.site_id == site_id)


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
        cautions = _detector_cautions(session, [row.id for row in listed.rows])
        return render(request, session, "devices.html", stage="survey", list=listed, hidden=ON_PAGE, cautions=cautions)


def _on(row: Any) -> str:
    return abilities_said(row.on)


def _detector_cautions(session: Any, device_ids: list[int]) -> dict[int, list[str]]:
    query = select(DetectorRow.device_id, DetectorRow.name, DetectorRow.caution).where(
        DetectorRow.device_id.in_(device_ids), DetectorRow.caution != ""
    )
    out: dict[int, list[str]] = {}
    for device_id, name, caution in session.execute(query.order_by(DetectorRow.name)):
        out.setdefault(device_id, []).append(f"{name}: {caution}")
    return out


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
    return await run_in_threadpool(_bring_in, request, await request.body(), name, store)


def _bring_in(request: Request, data: bytes, name: str, store: bool) -> Response:
    with transaction() as session:
        report = take_rows(
            session, site_id_of(request), data, where=name or "the table", store=store, user_id=user_id(request)
        )
        if store and not report.faults:
            tell(request, f"brought in {len(report.new)} devices from a table, and changed {len(report.changed)}")
    return json_answer(
        report.as_dict() | {"stored": store and not report.faults}, 422 if store and report.faults else 200
    )
