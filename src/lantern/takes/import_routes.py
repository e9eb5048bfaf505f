"""Imports: files in parts, progress, questions about what has no sidecar, and their answers."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException, Query, Request
from fastapi.responses import Response
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from lantern.core.faults import Fault, Refused
from lantern.db.base import transaction
from lantern.db.numbers import Count, Id
from lantern.jobs import defer_import
from lantern.sites.tables import site_of
from lantern.takes import actions, questions
from lantern.takes.tables import ImportRow
from lantern.web.access import may, site_id_of, tell
from lantern.web.answers import attachment, json_answer

router = APIRouter()


def get_import(session: Session, import_id: int) -> ImportRow:
    row = session.get(ImportRow, import_id)
    if row is None:
        raise HTTPException(404, f"There is no import {import_id}.")
    return row


@router.post("/takes/imports", **may("engineer"))
def begin(request: Request, name: Annotated[str, Body(embed=True, max_length=300)]) -> Response:
    with transaction() as session:
        return json_answer(
            import_shown(
                session, actions.begin_import(session, site_id=site_of(session, site_id_of(request)).id, name=name)
            )
        )


@router.put("/takes/imports/{import_id}/parts", **may("engineer"))
async def part(request: Request, import_id: Id, file: Annotated[str, Query()], part: Count) -> Response:
    data = await request.body()

    def store() -> None:
        with transaction() as session:
            actions.add_part(session, get_import(session, import_id), file=file, part=part, data=data)

    await run_in_threadpool(store)
    return json_answer({"stored": len(data)})


@router.post("/takes/imports/{import_id}/finish", **may("engineer", "imported a take"))
def finish(import_id: Id) -> Response:
    with transaction() as session:
        row = get_import(session, import_id)
        if row.state != "uploading":
            raise Refused([Fault("import", f"is {row.state}", "an import that is still being uploaded")])
        actions.finish_upload(row)
        answer = import_shown(session, row)
    defer_import(import_id)
    return json_answer(answer)


@router.post("/takes/imports/{import_id}/cancel", **may("engineer", "cancelled an import"))
def cancel(import_id: Id) -> Response:
    with transaction() as session:
        row = get_import(session, import_id)
        row.ask_to_end()
        return json_answer(import_shown(session, row))


@router.get("/takes/imports/{import_id}", **may("viewer"))
def progress(import_id: Id) -> Response:
    with transaction() as session:
        return json_answer(import_shown(session, get_import(session, import_id)))


@router.post("/takes/imports/{import_id}/preview", **may("engineer"))
def preview(import_id: Id, answers: questions.Answers) -> Response:
    """Return what the answers give, before they are given; and what they lack, which is no fault yet."""
    with transaction() as session:
        row = get_import(session, import_id)
        try:
            return json_answer(questions.preview(session, row, answers) | {"faults": []})
        except Refused as error:
            return json_answer({"lines": [], "sidecar": None, "faults": [fault.as_dict() for fault in error.faults]})


@router.post("/takes/imports/{import_id}/answers", **may("engineer", "answered what an import asked"))
def answer(request: Request, import_id: Id, answers: questions.Answers) -> Response:
    with transaction() as session:
        row = get_import(session, import_id)
        questions.answer(session, row, answers)
        if answers.new_device is not None:
            tell(request, f"made the device {answers.new_device.code} for an import")
        shown = import_shown(session, row)
    defer_import(import_id)
    return json_answer(shown)


@router.get("/takes/imports/{import_id}/sidecar.json", **may("viewer"))
def sidecar(import_id: Id) -> Response:
    """The sidecar that the answers made, to keep beside the file."""
    with transaction() as session:
        row = get_import(session, import_id)
        if not row.answers:
            raise HTTPException(404, f"Import {import_id} made no sidecar.")
        return json_answer(row.answers, headers=attachment(questions.sidecar_name(row)))


def import_shown(session: Session, row: ImportRow) -> dict[str, Any]:
    """Return an import as the page has it."""
    asks = row.state == questions.ASKING
    return {
        "id": row.id,
        "name": row.name,
        "state": row.state,
        "open": row.open,
        "received": row.received_bytes,
        "done": row.done,
        "total": row.total,
        "faults": row.faults,
        "notes": row.notes,
        "take": row.take_id,
        "cancel": row.cancel,
        "asked": row.asked if asks else None,
        "choices": questions.choices(session, row) if asks else None,
        "sidecar": bool(row.answers),
    }
