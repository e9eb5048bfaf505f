"""The link page: a detector tied to outputs, under a timetable."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Body, HTTPException, Request
from fastapi.responses import HTMLResponse, Response
from sqlalchemy import select

from lantern.core.kinds import kind_of
from lantern.core.logic.timetable import merged
from lantern.db.base import transaction
from lantern.db.numbers import Count, Id
from lantern.links.actions import save_link, save_timetable, unchanged
from lantern.links.tables import LinkRow, TimetableRow, links_of, timetables_of
from lantern.survey.tables import outputs_of, site_of
from lantern.tune.shown import get_detector
from lantern.web.access import may, site_id_of
from lantern.web.answers import json_answer
from lantern.web.pages import render

router = APIRouter()


@router.get("/links/{detector_id}", **may("viewer"))
def links_page(request: Request, detector_id: Id) -> HTMLResponse:
    with transaction() as session:
        row = get_detector(session, detector_id)
        site = site_of(session, site_id_of(request))
        data = {
            "detectorId": row.id,
            "regions": kind_of(row.model.kind).sources(row.model),
            "links": [_link(link) for link in links_of(session, row.id)],
            "outputs": [
                {"device": device.code, **output.model_dump()} for device, output in outputs_of(session, site.id)
            ],
            "timetables": [_timetable(t) for t in timetables_of(session, site.id)],
            "zone": site.zone,
        }
        return render(request, session, "links.html", stage="link", detector=row, data=data)


@router.post("/links/{detector_id}", **may("engineer", "made a link"))
def make_link(detector_id: Id, document: dict[str, Any] = Body()) -> Response:
    with transaction() as session:
        row = save_link(session, get_detector(session, detector_id), document, link_id=None)
        return json_answer(_link(row))


@router.put("/links/{detector_id}/{link_id}", **may("engineer", "changed a link"))
def change_link(detector_id: Id, link_id: Id, base: Count, document: dict[str, Any] = Body()) -> Response:
    """`base`: the version that was changed; refused where somebody else has changed it meanwhile."""
    with transaction() as session:
        found = session.get(LinkRow, link_id)
        if found is None or found.detector_id != detector_id:
            raise HTTPException(404, f"Detector {detector_id} has no link {link_id}.")
        row = save_link(session, get_detector(session, detector_id), document, link_id=link_id, base=base)
        return json_answer(_link(row))


@router.delete("/links/{detector_id}/{link_id}", **may("engineer", "deleted a link"))
def delete_link(detector_id: Id, link_id: Id, base: Count) -> Response:
    with transaction() as session:
        found = unchanged(session, LinkRow, link_id, base)
        if found is None or found.detector_id != detector_id:
            raise HTTPException(404, f"Detector {detector_id} has no link {link_id}.")
        session.delete(found)
        return json_answer({"deleted": link_id})


@router.post("/timetables", **may("engineer", "made a timetable"))
def make_timetable(request: Request, document: dict[str, Any] = Body()) -> Response:
    with transaction() as session:
        return json_answer(
            _timetable(save_timetable(session, site_of(session, site_id_of(request)).id, document, timetable_id=None))
        )


@router.put("/timetables/{timetable_id}", **may("engineer", "changed a timetable"))
def change_timetable(timetable_id: Id, base: Count, document: dict[str, Any] = Body()) -> Response:
    with transaction() as session:
        found = session.get(TimetableRow, timetable_id)
        if found is None:
            raise HTTPException(404, f"There is no timetable {timetable_id}.")
        saved = save_timetable(session, found.site_id, document, timetable_id=timetable_id, base=base)
        return json_answer(_timetable(saved))


@router.delete("/timetables/{timetable_id}", **may("engineer", "deleted a timetable"))
def delete_timetable(timetable_id: Id, base: Count) -> Response:
    with transaction() as session:
        found = unchanged(session, TimetableRow, timetable_id, base)
        if found is None:
            raise HTTPException(404, f"There is no timetable {timetable_id}.")
        users = [
            link.name
            for link in session.scalars(select(LinkRow).where(LinkRow.site_id == found.site_id))
            if link.body.get("timetable") == found.name
        ]
        if users:
            raise HTTPException(409, f"{found.name} is used by {', '.join(users)}. Give them another timetable first.")
        session.delete(found)
        return json_answer({"deleted": timetable_id})


def _timetable(row: TimetableRow) -> dict[str, Any]:
    model = row.model
    spans = [[span.start_min, span.end_min] for span in merged(model.hours)]
    named = {"id": row.id, "version": row.version, "summary": model.summary, "spans": spans}
    return named | model.model_dump(mode="json")


def _link(row: LinkRow) -> dict[str, Any]:
    return {"id": row.id, "version": row.version, **row.model.model_dump(mode="json")}
