"""Takes: the list, imports with progress, frames for the page, and marks."""

from __future__ import annotations

import zlib
from typing import Annotated

from fastapi import APIRouter, Body, HTTPException, Query, Request
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session

from lantern.core.devices import DEVICE_KINDS
from lantern.core.faults import Fault, Refused
from lantern.core.kinds import kind_of
from lantern.core.truths import Said
from lantern.db.base import transaction
from lantern.db.numbers import Count, Id
from lantern.formats.tables import read_marks, write_marks, write_truths
from lantern.register.tables import DeviceRow, listed_devices
from lantern.signals.register import signal_of
from lantern.sites.tables import site_of
from lantern.takes import actions, marking
from lantern.takes.import_routes import import_shown
from lantern.takes.listed import LEDGER, takes_query
from lantern.takes.onplan import lay_on_plan
from lantern.takes.store import frame_of_take, value_of_take
from lantern.takes.tables import MarkRow, TakeRow, listed_takes, marks_of, marks_of_takes, said_of_take, truths_of_take
from lantern.tune.actions import rejudge
from lantern.tune.tables import DetectorRow, detectors_of_site, first_detectors
from lantern.web.access import may, site_id_of, tell
from lantern.web.answers import attachment, json_answer
from lantern.web.door import user_id
from lantern.web.ledger import EXPORT
from lantern.web.pages import render

router = APIRouter()
AT_ONCE_BYTES = 8 * 1024 * 1024  # packed: a larger take is made a zip by the worker
DRAWN_DTYPES = {"uint16": "uint16", "float32": "float32", "float64": "float32"}  # a page draws no double


class TruthIn(BaseModel):
    """`object`: as the device named it; `at_s`: a time at which it was there."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    object: str = Field(min_length=1, max_length=200)
    at_s: float = Field(ge=0, le=4e7)
    text: str = Field(max_length=200)
    agreed: bool = False


class MarkIn(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    start_s: float
    end_s: float
    label: str
    detector: str = ""
    note: str = Field(default="", max_length=200)
    lead_s: float = Field(default=0.0, ge=0, le=3600)


def get_take(session: Session, take_id: int) -> TakeRow:
    row = session.get(TakeRow, take_id)
    if row is None:
        raise HTTPException(404, f"There is no take {take_id}.")
    return row


@router.get("/takes", **may("viewer"))
def takes_page(
    request: Request, of: Annotated[Id | None, Query(alias="import")] = None, take: Id | None = None
) -> Response:
    """Return all takes of the site; `import`: the device of which one is to be imported; `take`: the page that has this
    one. A fixed number of queries.
    """
    asked = LEDGER.asked(request)
    with transaction() as session:
        site = site_of(session, site_id_of(request))
        query = takes_query(site.id)
        form = request.query_params.get(EXPORT)
        if form:
            return LEDGER.export(session, query, asked, form, zone=site.zone)
        if take is not None:
            asked = LEDGER.page_with(session, query, asked, take)
        listed = LEDGER.read(session, query, asked)
        takes = listed_takes(session, site.id, [row.id for row in listed.rows])
        marks = marks_of_takes(session, [take.id for take in takes])
        devices = listed_devices(session, site.id)
        return render(
            request,
            session,
            "takes.html",
            stage="takes",
            takes=takes,
            marks=marks,
            detectors=first_detectors(session, site.id),
            at_once_bytes=AT_ONCE_BYTES,
            imports=[import_shown(session, row) for row in actions.open_imports(session, site.id)],
            wanted=next((each for each in devices if each.id == of), None),
            list=listed,
            movable=[each for each in devices if DEVICE_KINDS[each.kind].signals],
        )


# ---- takes -----------------------------------------------------------------------------------------------------------


PLURALS = {"mark": "marks", "truth": "truths", "count by hand": "counts by hand"}


@router.get("/takes/{take_id}/goes", **may("viewer"))
def what_goes(take_id: Id) -> Response:
    """Return what goes with a take that is deleted: all that somebody said of it."""
    with transaction() as session:
        take = get_take(session, take_id)
        said = said_of_take(session, take.id)
        goes = [f"{count} {what if count == 1 else PLURALS[what]}" for what, count in said.items()]
        return json_answer({"name": take.name, "device": take.device.code, "goes": goes})


@router.delete("/takes/{take_id}", **may("engineer", "deleted a take"))
def delete(take_id: Id) -> Response:
    with transaction() as session:
        take = get_take(session, take_id)
        device_id, rows = take.device_id, detectors_of_site(session, take.device.site_id)
        actions.delete_take(session, take)
        session.flush()
        rejudge(session, device_id, rows)
        return json_answer({"deleted": take_id})


@router.put("/takes/{take_id}/device", **may("engineer", "moved a take to another device"))
def move(request: Request, take_id: Id, device_id: Annotated[Id, Body(embed=True)]) -> Response:
    """A take that was taken for another device's."""
    with transaction() as session:
        take, device = get_take(session, take_id), session.get(DeviceRow, device_id)
        if device is None or device.site_id != take.device.site_id:
            raise Refused([Fault("take: device", str(device_id), "a device of this site")])
        was = take.device_id
        tell(request, f"moved the take {take.name} from {take.device.code} to {device.code}")
        actions.move_take(session, take, device)
        session.flush()
        rows = detectors_of_site(session, device.site_id)
        for each in (was, device.id):
            rejudge(session, each, rows)
        return json_answer({"id": take_id, "device": device.id})


@router.post("/takes/{take_id}/on-plan", **may("engineer", "laid a take on the plan"))
def on_plan(request: Request, take_id: Id, device_id: Annotated[Id, Body(embed=True)]) -> Response:
    """Lay what a camera saw on the plan, as a take of a device that looks at the plan."""
    with transaction() as session:
        take, device = get_take(session, take_id), session.get(DeviceRow, device_id)
        if device is None or device.site_id != take.device.site_id:
            raise Refused([Fault("take: device", str(device_id), "a device of this site")])
        tell(request, f"laid the take {take.name} of {take.device.code} on the plan for {device.code}")
        made = lay_on_plan(session, take, device)
        session.flush()
        rejudge(session, device.id, detectors_of_site(session, device.site_id))
        return json_answer({"id": made.id, "device": device.id})


@router.put("/takes/{take_id}/aside", **may("engineer", "set a take aside, or back"))
def set_aside(take_id: Id, aside: Annotated[bool, Body(embed=True)]) -> Response:
    """Keep a take to validate with, or take it back among those that are tuned on."""
    with transaction() as session:
        get_take(session, take_id).set_aside = aside
        return json_answer({"id": take_id, "aside": aside})


# ---- frames ----------------------------------------------------------------------------------------------------------


@router.get("/takes/{take_id}/frames/{index}", **may("viewer"))
def frame(take_id: Id, index: Count) -> Response:
    """Raw pixels, row-major, little-endian, deflated; the page colours them. °C = raw x scale + offset of the take."""
    with transaction() as session:
        take = get_take(session, take_id)
        if not signal_of(take.signal).framed or not 0 <= index < take.samples:
            raise HTTPException(404, f"Take {take_id} has no frame {index}.")
        pixels = frame_of_take(session, take, index)
        dtype = DRAWN_DTYPES[pixels.dtype.name]
    data = zlib.compress(pixels.astype(f"<{'u2' if dtype == 'uint16' else 'f4'}").tobytes(), 1)
    headers = {"Content-Encoding": "deflate", "Cache-Control": "private, max-age=86400, immutable", "X-Dtype": dtype}
    return Response(data, 200, headers, "application/octet-stream")


@router.get("/takes/{take_id}/sketch", **may("viewer"))
def sketch(take_id: Id) -> Response:
    """Return what the ground of its signal draws of a take as a whole."""
    with transaction() as session:
        take = get_take(session, take_id)
        return json_answer(signal_of(take.signal).sketch(take.facts, value_of_take(session, take)))


# ---- marks -----------------------------------------------------------------------------------------------------------


@router.post("/takes/{take_id}/marks", **may("operator", "marked a take"))
def add_mark(take_id: Id, mark: MarkIn) -> Response:
    with transaction() as session:
        take = get_take(session, take_id)
        [row] = marking.add_marks(session, take, [marking.checked_mark(take, mark.model_dump())])
        _rejudge(session, take)
        return json_answer(row.as_dict())


@router.put("/marks/{mark_id}", **may("operator", "changed a mark"))
def change_mark(mark_id: Id, mark: MarkIn) -> Response:
    with transaction() as session:
        row = _get_mark(session, mark_id)
        take = get_take(session, row.take_id)
        checked = marking.checked_mark(take, mark.model_dump())
        marking.change_mark(session, take, row, checked)
        _rejudge(session, take)
        return json_answer(row.as_dict())


@router.delete("/marks/{mark_id}", **may("operator", "deleted a mark"))
def delete_mark(mark_id: Id) -> Response:
    with transaction() as session:
        row = _get_mark(session, mark_id)
        take = get_take(session, row.take_id)
        session.delete(row)
        session.flush()
        _rejudge(session, take)
        return json_answer({"deleted": mark_id})


@router.get("/takes/{take_id}/marks.csv", **may("viewer"))
def export_marks(take_id: Id) -> Response:
    with transaction() as session:
        text = write_marks([row.as_mark() for row in marks_of(session, take_id)])
        return Response(text, 200, attachment(f"take-{take_id}-marks.csv"), "text/csv; charset=utf-8")


@router.put("/takes/{take_id}/marks.csv", **may("operator", "imported marks"))
async def import_marks_file(request: Request, take_id: Id) -> Response:
    data = await request.body()
    marks = read_marks(data, where="marks.csv")
    with transaction() as session:
        take = get_take(session, take_id)
        added = marking.import_marks(session, take, marks)
        _rejudge(session, take)
        return json_answer({"added": added, "in_file": len(marks)})


@router.put("/takes/{take_id}/truths", **may("engineer", "said what a thing on a take truly was"))
def say_truth(request: Request, take_id: Id, told: TruthIn) -> Response:
    """Store what a thing on a take truly was; an empty text takes back what was said of it."""
    with transaction() as session:
        take = get_take(session, take_id)
        said = Said(told.object, told.at_s, told.text, told.agreed and bool(told.text.strip()))
        kept = marking.keep_said(session, take, said, user_id=user_id(request)).text
        rows = [row for row in detectors_of_site(session, take.device.site_id) if kind_of(row.kind).takes_truths]
        rejudge(session, take.device_id, rows)
        return json_answer({"text": kept})


@router.get("/takes/{take_id}/truths.csv", **may("viewer"))
def export_truths(take_id: Id) -> Response:
    with transaction() as session:
        get_take(session, take_id)
        text = write_truths([row.said for row in truths_of_take(session, take_id)])
        return Response(text, 200, attachment(f"take-{take_id}-truths.csv"), "text/csv; charset=utf-8")


def _rejudge(session: Session, take: TakeRow) -> None:
    rows: list[DetectorRow] = detectors_of_site(session, take.device.site_id)
    rejudge(session, take.device_id, rows)


def _get_mark(session: Session, mark_id: int) -> MarkRow:
    row = session.get(MarkRow, mark_id)
    if row is None:
        raise HTTPException(404, f"There is no mark {mark_id}.")
    return row
