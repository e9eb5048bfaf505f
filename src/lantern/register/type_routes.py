"""The register of device types: those that ship, and the site's own, as JSON."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, HTTPException, Query, Request
from fastapi.responses import HTMLResponse, Response
from sqlalchemy import func, select
from starlette.concurrency import run_in_threadpool

from lantern.core.devices import DEVICE_KINDS
from lantern.core.register.device_type import DeviceType, type_schema
from lantern.db.base import transaction
from lantern.db.numbers import Count, Id
from lantern.formats.documents import type_in
from lantern.register.tables import DeviceRow, DeviceTypeRow, register_of, types_of
from lantern.register.types import delete_type, save_type
from lantern.revisions import hold
from lantern.web.access import may, site_id_of, tell
from lantern.web.answers import attachment, json_answer
from lantern.web.door import user_id
from lantern.web.outside import read_outside
from lantern.web.pages import render

router = APIRouter()
MADE, CHANGED, DELETED = "Made.", "Changed.", "Deleted."
Reason = Annotated[str, Query(max_length=400)]


def example() -> dict[str, Any]:
    """Return what a new type begins with: one of the first kind of device that has a picture."""
    kind = next(kind for kind in DEVICE_KINDS.values() if kind.pictured and kind.signals)
    return {
        "format": "lantern-type/1",
        "name": "",
        "kind": kind.name,
        "says": "",
        "power": {"poe_class": 3},
        "channels": [{"name": "view", "width": 1280, "height": 720, "fps": 10}],
        "abilities": [
            {
                "name": "people and vehicles",
                "signal": kind.signals[0],
                "load": {"fixed_percent": 10, "percent_per_mps": 3},
                "limits": {"regions": 8, "lines": 4},
            }
        ],
    }


@router.get("/types", **may("viewer"))
def page(request: Request) -> HTMLResponse:
    with transaction() as session:
        site_id = site_id_of(request)
        own = {row.name: row for row in types_of(session, site_id)}
        counted = select(DeviceRow.type, func.count()).where(DeviceRow.site_id == site_id).group_by(DeviceRow.type)
        counts = {row[0]: row[1] for row in session.execute(counted)}
        types = [
            {"type": each, "row": own.get(name), "count": counts.get(name, 0), "title": DEVICE_KINDS[each.kind].title}
            for name, each in sorted(register_of(session, site_id).items())
        ]
        held = {row.id: {"revision": row.revision, "body": row.body} for row in own.values()}
        data = {"own": held, "example": example()}
        return render(request, session, "types.html", stage="survey", types=types, data=data)


@router.get("/types/schema.json", **may("viewer"))
def schema() -> Response:
    """The JSON Schema of a type."""
    return json_answer(type_schema())


@router.get("/types/file", **may("viewer"))
def file(request: Request, name: Annotated[str, Query(max_length=120)]) -> Response:
    """A type as its file: one that ships, as an example, or one of the site."""
    with transaction() as session:
        found = register_of(session, site_id_of(request)).get(name)
        if found is None:
            raise HTTPException(404, f"The register has no type {name[:40]!r}.")
        body = found.model_dump(mode="json", exclude_none=True)
        return json_answer(body, headers=attachment(f"{found.name}.type.json"))


@router.post("/types", **may("engineer", "added a device type"))
async def add(request: Request, reason: Reason = MADE) -> Response:
    """The body is the type's file."""
    model = await read_outside(request, type_in, name="device type")
    return await run_in_threadpool(_save, request, model, reason, "added")


@router.put("/types/{type_id}", **may("engineer", "changed a device type"))
async def change(request: Request, type_id: Id, base: Count, reason: Reason = CHANGED) -> Response:
    """The body is the type's file. `base`: the revision that was changed; refused where somebody else has changed it meanwhile."""
    model = await read_outside(request, type_in, name="device type")
    return await run_in_threadpool(_save, request, model, reason, "changed", type_id, base)


def _save(
    request: Request, model: DeviceType, reason: str, done: str, type_id: int | None = None, base: int = 0
) -> Response:
    with transaction() as session:
        site_id, by = site_id_of(request), user_id(request)
        row = save_type(session, site_id, model, type_id=type_id, base=base, reason=reason, user_id=by)
        tell(request, f"{done} the device type {row.name}")
        return json_answer({"id": row.id, "name": row.name})


@router.delete("/types/{type_id}", **may("engineer", "deleted a device type"))
def delete(request: Request, type_id: Id, base: Count, reason: Reason = DELETED) -> Response:
    with transaction() as session:
        row = session.get_one(DeviceTypeRow, type_id)
        hold(session, row, base)
        tell(request, f"deleted the device type {row.name}")
        delete_type(session, row, reason=reason, user_id=user_id(request))
        return json_answer({"deleted": type_id})
