"""The link page: a detector tied to outputs, under a timetable."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException, Query, Request
from fastapi.responses import HTMLResponse, Response
from sqlalchemy.orm import Session

from lantern.core.kinds import kind_of
from lantern.db.base import transaction
from lantern.db.numbers import Count, Id
from lantern.links.actions import DELETED, restore, save_link
from lantern.links.history import changes_of
from lantern.links.shown import link_shown, site_shown
from lantern.links.tables import LinkRow, TimetableRow, links_of
from lantern.revisions import RevisionRow, hold, remove
from lantern.tune.shown import get_detector
from lantern.web.access import may, site_id_of
from lantern.web.answers import json_answer
from lantern.web.door import user_id
from lantern.web.pages import render

router = APIRouter()
Reason = Annotated[str, Query(max_length=400)]


@router.get("/links/{detector_id}", **may("viewer"))
def links_page(request: Request, detector_id: Id) -> HTMLResponse:
    with transaction() as session:
        row = get_detector(session, detector_id)
        if not kind_of(row.kind).raises:
            return render(request, session, "raises_nothing.html", stage="link", detector=row)
        data = {
            "base": f"/links/{row.id}",
            "cause": {"detector": row.name},
            "changesAt": f"/links/{row.id}/changes",
            "regions": kind_of(row.model.kind).sources(row.model),
            "lists": list(kind_of(row.kind).lists.named(row.model)),
            "links": [link_shown(link) for link in links_of(session, row.id)],
            **site_shown(session, site_id_of(request)),
            "changes": changes_of(session, row),
        }
        cause = {"title": f"{row.device.code} {row.name}", "says": "when it raises, what happens"}
        return render(request, session, "links.html", stage="link", detector=row, data=data, cause=cause)


@router.get("/links/{detector_id}/changes", **may("viewer"))
def changes(detector_id: Id) -> Response:
    """Return who changed its links and the timetables, when and why, the newest first."""
    with transaction() as session:
        return json_answer(changes_of(session, get_detector(session, detector_id)))


@router.post("/links/{detector_id}", **may("engineer", "made a link"))
def make_link(request: Request, detector_id: Id, document: dict[str, Any] = Body()) -> Response:
    with transaction() as session:
        detector = get_detector(session, detector_id)
        return json_answer(link_shown(save_link(session, detector, document, link_id=None, user_id=user_id(request))))


@router.put("/links/{detector_id}/{link_id}", **may("engineer", "changed a link"))
def change_link(
    request: Request, detector_id: Id, link_id: Id, base: Count, reason: Reason, document: dict[str, Any] = Body()
) -> Response:
    """`base`: the revision that was changed; refused where somebody else has changed it meanwhile."""
    with transaction() as session:
        _of_detector(session, detector_id, link_id)
        detector, by = get_detector(session, detector_id), user_id(request)
        row = save_link(session, detector, document, link_id=link_id, base=base, reason=reason, user_id=by)
        return json_answer(link_shown(row))


@router.delete("/links/{detector_id}/{link_id}", **may("engineer", "deleted a link"))
def delete_link(request: Request, detector_id: Id, link_id: Id, base: Count, reason: Reason = DELETED) -> Response:
    with transaction() as session:
        found = _of_detector(session, detector_id, link_id)
        hold(session, found, base)
        remove(session, found, reason=reason, user_id=user_id(request))
        return json_answer({"deleted": link_id})


def _of_detector(session: Session, detector_id: int, link_id: int) -> LinkRow:
    found = session.get(LinkRow, link_id)
    if found is None or found.detector_id != detector_id:
        raise HTTPException(404, f"Detector {detector_id} has no link {link_id}.")
    return found


@router.post("/revisions/{revision_id}/restore", **may("engineer", "restored a link or a timetable"))
def restore_state(request: Request, revision_id: Id, base: Count) -> Response:
    """An old state of a link or a timetable anew. `base`: the number of its newest revision, as the page has it."""
    with transaction() as session:
        saved = session.get(RevisionRow, revision_id)
        if saved is None or saved.what not in (LinkRow.WHAT, TimetableRow.WHAT):
            raise HTTPException(404, f"There is no revision {revision_id} of a link or a timetable.")
        restore(session, saved, base=base, user_id=user_id(request))
        return json_answer({"restored": saved.number})
