"""The page of compounds: built as a sentence, seen over the takes of their parts, tied to what happens."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException, Query, Request
from fastapi.responses import HTMLResponse, Response
from sqlalchemy.orm import Session

from lantern.core.kinds import kind_of
from lantern.core.linking.inputs import SOURCES
from lantern.core.logic.compounds import OF_KIND, Compound
from lantern.db.base import transaction
from lantern.db.numbers import Count, Id
from lantern.formats.documents import read_model
from lantern.links.actions import DELETED, save_link
from lantern.links.compounds import delete_compound, save_compound
from lantern.links.evidence import shown, tried
from lantern.links.history import changes_of
from lantern.links.message_routes import messages_shown
from lantern.links.names import names_on
from lantern.links.shown import link_shown, site_shown
from lantern.links.sounds import has_voice
from lantern.links.tables import CompoundRow, LinkRow, NamedCause, links_of_named, rows_of, timetables_of
from lantern.revisions import hold, remove
from lantern.tune.tables import detectors_of_site
from lantern.web.access import may, site_id_of
from lantern.web.answers import json_answer
from lantern.web.door import user_id
from lantern.web.pages import render

router = APIRouter()
Reason = Annotated[str, Query(max_length=400)]


@router.get("/compounds", **may("viewer"))
def page(request: Request, compound: Id | None = None) -> HTMLResponse:
    """`compound`: the one that is looked at first."""
    with transaction() as session:
        site_id = site_id_of(request)
        names = names_on(session, site_id)
        detectors = [row for row in detectors_of_site(session, site_id) if kind_of(row.kind).raises]
        data = {
            "compounds": _all(session, site_id),
            "chosen": compound,
            "causes": {
                "detector": [{"name": row.name, "regions": [r.name for r in row.model.regions]} for row in detectors],
                "input": [{"name": name, "regions": list(SOURCES)} for name in sorted(names.inputs)],
                "compound": [{"name": name, "regions": []} for name in sorted(names.compounds)],
            },
            "timetables": [row.name for row in timetables_of(session, site_id)],
            "numbers": OF_KIND,
            "messages": messages_shown(session, site_id),
            "hasVoice": has_voice(),
        }
        return render(request, session, "compounds.html", stage="link", detector=None, data=data)


def _all(session: Session, site_id: int) -> list[dict[str, Any]]:
    return [_shown(session, row) for row in rows_of(session, CompoundRow, site_id)]


def _shown(session: Session, row: CompoundRow) -> dict[str, Any]:
    links = [link.name for link in links_of_named(session, NamedCause(row.site_id, "compound", row.name))]
    return {"id": row.id, "revision": row.revision, "links": links, **row.model.model_dump(mode="json")}


@router.post("/compounds/judge", **may("viewer"))
def judge(request: Request, document: dict[str, Any] = Body()) -> Response:
    """What a compound that is not kept raises on the takes of its parts."""
    model = read_model(Compound, document, where="compound")
    with transaction() as session:
        site_id = site_id_of(request)
        others = [row.model for row in rows_of(session, CompoundRow, site_id) if row.name != model.name]
        held = tried(session, site_id, model, others)
        return json_answer({"lacks": "None of its parts is a detector with a take."} if held is None else shown(held))


@router.post("/compounds", **may("engineer", "made a compound"))
def make(request: Request, document: dict[str, Any] = Body()) -> Response:
    with transaction() as session:
        row = save_compound(session, site_id_of(request), document, compound_id=None, user_id=user_id(request))
        return json_answer(_shown(session, row))


@router.put("/compounds/{compound_id}", **may("engineer", "changed a compound"))
def change(
    request: Request, compound_id: Id, base: Count, reason: Reason, document: dict[str, Any] = Body()
) -> Response:
    with transaction() as session:
        site_id, by = session.get_one(CompoundRow, compound_id).site_id, user_id(request)
        row = save_compound(session, site_id, document, compound_id=compound_id, base=base, reason=reason, user_id=by)
        return json_answer(_shown(session, row))


@router.delete("/compounds/{compound_id}", **may("engineer", "deleted a compound"))
def delete(request: Request, compound_id: Id, base: Count, reason: Reason = DELETED) -> Response:
    with transaction() as session:
        row = session.get_one(CompoundRow, compound_id)
        hold(session, row, base)
        delete_compound(session, row, reason=reason, user_id=user_id(request))
        return json_answer({"deleted": compound_id})


# ---- its links -------------------------------------------------------------------------------------------------------


def _cause(session: Session, compound_id: int) -> NamedCause:
    row = session.get_one(CompoundRow, compound_id)
    return NamedCause(row.site_id, "compound", row.name)


@router.get("/compound-links/{compound_id}", **may("viewer"))
def links_page(request: Request, compound_id: Id) -> HTMLResponse:
    with transaction() as session:
        cause = _cause(session, compound_id)
        data = {
            "base": f"/compound-links/{compound_id}",
            "cause": {"compound": cause.name},
            "changesAt": f"/compound-links/{compound_id}/changes",
            "regions": [],
            "lists": [],
            "links": [link_shown(link) for link in links_of_named(session, cause)],
            **site_shown(session, cause.site_id),
            "changes": changes_of(session, cause),
        }
        told = {"title": cause.name, "says": "when this compound raises, what happens"}
        return render(request, session, "links.html", stage="link", data=data, cause=told)


@router.get("/compound-links/{compound_id}/changes", **may("viewer"))
def changes(compound_id: Id) -> Response:
    with transaction() as session:
        return json_answer(changes_of(session, _cause(session, compound_id)))


@router.post("/compound-links/{compound_id}", **may("engineer", "made a link"))
def make_link(request: Request, compound_id: Id, document: dict[str, Any] = Body()) -> Response:
    with transaction() as session:
        cause, by = _cause(session, compound_id), user_id(request)
        return json_answer(link_shown(save_link(session, cause, document, link_id=None, user_id=by)))


@router.put("/compound-links/{compound_id}/{link_id}", **may("engineer", "changed a link"))
def change_link(
    request: Request, compound_id: Id, link_id: Id, base: Count, reason: Reason, document: dict[str, Any] = Body()
) -> Response:
    with transaction() as session:
        cause, by = _cause(session, compound_id), user_id(request)
        _of_compound(session, cause, link_id)
        saved = save_link(session, cause, document, link_id=link_id, base=base, reason=reason, user_id=by)
        return json_answer(link_shown(saved))


@router.delete("/compound-links/{compound_id}/{link_id}", **may("engineer", "deleted a link"))
def delete_link(request: Request, compound_id: Id, link_id: Id, base: Count, reason: Reason = DELETED) -> Response:
    with transaction() as session:
        found = _of_compound(session, _cause(session, compound_id), link_id)
        hold(session, found, base)
        remove(session, found, reason=reason, user_id=user_id(request))
        return json_answer({"deleted": link_id})


def _of_compound(session: Session, cause: NamedCause, link_id: int) -> LinkRow:
    found = session.get_one(LinkRow, link_id)
    if found.compound != cause.name:
        raise HTTPException(404, f"{cause.name} has no link {link_id}.")
    return found
