"""Takes as files: at once, or made by a worker and followed, for an hour of heat is a gigabyte."""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory

from fastapi import APIRouter, HTTPException
from fastapi.responses import FileResponse, Response, StreamingResponse
from sqlalchemy.orm import Session
from starlette.background import BackgroundTask

from lantern.core.faults import Fault, Refused
from lantern.db.base import transaction
from lantern.db.numbers import Id
from lantern.jobs import defer_export
from lantern.takes.export import export_take
from lantern.takes.exports import ExportRow, begin_export, parts_of
from lantern.takes.tables import TakeRow
from lantern.web.access import may
from lantern.web.answers import attachment, json_answer

router = APIRouter()


def get_export(session: Session, export_id: int) -> ExportRow:
    row = session.get(ExportRow, export_id)
    if row is None:
        raise HTTPException(404, f"There is no export {export_id}; it is kept for an hour.")
    return row


def file_name(take: TakeRow) -> str:
    return "".join(c if c.isalnum() else "-" for c in take.name.lower()) + ".zip"


@router.get("/takes/{take_id}/take.zip", **may("viewer"))
def export(take_id: Id) -> FileResponse:
    """The take as files: `take.json`, data, still, marks."""
    folder = TemporaryDirectory()
    path = Path(folder.name) / "take.zip"
    with transaction() as session:
        take = session.get_one(TakeRow, take_id)
        export_take(session, take, path)
        name = file_name(take)
    return FileResponse(path, filename=name, background=BackgroundTask(folder.cleanup))


@router.post("/takes/{take_id}/exports", **may("viewer"))
def begin(take_id: Id) -> Response:
    """Have it made by a worker; the answer is followed by its `id`."""
    with transaction() as session:
        row, is_new = begin_export(session, session.get_one(TakeRow, take_id))
        answer = row.as_dict()
    if is_new:
        defer_export(answer["id"])
    return json_answer(answer)


@router.get("/takes/exports/{export_id}", **may("viewer"))
def progress(export_id: Id) -> Response:
    with transaction() as session:
        return json_answer(get_export(session, export_id).as_dict())


@router.post("/takes/exports/{export_id}/cancel", **may("viewer"))
def cancel(export_id: Id) -> Response:
    with transaction() as session:
        row = get_export(session, export_id)
        row.ask_to_end()
        return json_answer(row.as_dict())


@router.get("/takes/exports/{export_id}/take.zip", **may("viewer"))
def fetch(export_id: Id) -> StreamingResponse:
    """The same as `take.zip` of the take, as it was made."""
    with transaction() as session:
        row = get_export(session, export_id)
        if row.state != "done":
            raise Refused([Fault("export", f"is {row.state}", "one that is done: follow it until then")])
        headers = attachment(file_name(session.get_one(TakeRow, row.take_id))) | {"content-length": str(row.bytes)}
    return StreamingResponse(parts_of(export_id), headers=headers, media_type="application/zip")
