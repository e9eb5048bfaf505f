"""Links of an input: a contact tied to outputs, as a detector is."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException, Query, Request
from fastapi.responses import HTMLResponse, Response
from sqlalchemy.orm import Session

from lantern.core.linking.inputs import SOURCES
from lantern.db.base import transaction
from lantern.db.numbers import Count, Id
from lantern.links.actions import DELETED, save_link
from lantern.links.history import changes_of
from lantern.links.shown import link_shown, site_shown
from lantern.links.tables import LinkRow, NamedCause, links_of_named
from lantern.register.tables import DeviceRow
from lantern.revisions import hold, remove
from lantern.web.access import may, site_id_of
from lantern.web.answers import json_answer
from lantern.web.door import user_id
from lantern.web.pages import render

router = APIRouter()
Named = Annotated[str, Query(alias="input", max_length=80)]
Reason = Annotated[str, Query(max_length=400)]


@router.get("/input-links/{device_id}", **may("viewer"))
def page(request: Request, device_id: Id, name: Named) -> HTMLResponse:
    """Show what happens when an input of the module becomes active, or faulty."""
    with transaction() as session:
        device, cause = _cause(session, device_id, name)
        data = {
            "base": f"/input-links/{device.id}",
            "cause": {"input": name},
            "changesAt": f"/input-links/{device.id}/changes?input={name}",
            "input": name,
            "regions": list(SOURCES),
            "lists": [],
            "links": [link_shown(link) for link in links_of_named(session, cause)],
            **site_shown(session, site_id_of(request)),
            "changes": changes_of(session, cause),
        }
        told = {"title": f"{device.code} {name}", "says": "when this input becomes active, or faulty, what happens"}
        return render(request, session, "links.html", stage="link", data=data, cause=told)


@router.get("/input-links/{device_id}/changes", **may("viewer"))
def changes(device_id: Id, name: Named) -> Response:
    with transaction() as session:
        return json_answer(changes_of(session, _cause(session, device_id, name)[1]))


@router.post("/input-links/{device_id}", **may("engineer", "made a link"))
def make(request: Request, device_id: Id, document: dict[str, Any] = Body()) -> Response:
    """The document says in `input` which one it is."""
    with transaction() as session:
        _, cause = _cause(session, device_id, str(document.get("input")))
        return json_answer(link_shown(save_link(session, cause, document, link_id=None, user_id=user_id(request))))


@router.put("/input-links/{device_id}/{link_id}", **may("engineer", "changed a link"))
def change(
    request: Request, device_id: Id, link_id: Id, base: Count, reason: Reason, document: dict[str, Any] = Body()
) -> Response:
    """`base`: the revision that was changed; refused where somebody else has changed it meanwhile."""
    with transaction() as session:
        row = _link_of(session, device_id, link_id)
        cause, by = NamedCause(row.site_id, "input", str(row.input)), user_id(request)
        saved = save_link(session, cause, document, link_id=link_id, base=base, reason=reason, user_id=by)
        return json_answer(link_shown(saved))


@router.delete("/input-links/{device_id}/{link_id}", **may("engineer", "deleted a link"))
def delete(request: Request, device_id: Id, link_id: Id, base: Count, reason: Reason = DELETED) -> Response:
    with transaction() as session:
        found = _link_of(session, device_id, link_id)
        hold(session, found, base)
        remove(session, found, reason=reason, user_id=user_id(request))
        return json_answer({"deleted": link_id})


def _cause(session: Session, device_id: int, name: str) -> tuple[DeviceRow, NamedCause]:
    device = session.get_one(DeviceRow, device_id)
    if all(each.name != name for each in device.input_models):
        raise HTTPException(404, f"{device.code} has no input {name[:40]!r}.")
    return device, NamedCause(device.site_id, "input", name)


def _link_of(session: Session, device_id: int, link_id: int) -> LinkRow:
    found = session.get_one(LinkRow, link_id)
    names = {each.name for each in session.get_one(DeviceRow, device_id).input_models}
    if found.input not in names:
        raise HTTPException(404, f"No input of this module has the link {link_id}.")
    return found
