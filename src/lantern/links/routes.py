"""The link page: a detector tied to outputs, under a timetable."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Body, HTTPException, Request
from fastapi.responses import HTMLResponse, Response
from sqlalchemy import select

from lantern.core.kinds import sources_of
from lantern.core.logic.timetable import merged
from lantern.db.base import transaction
from lantern.links.actions import save_link, save_timetable
from lantern.links.tables import LinkRow, TimetableRow, links_of, timetables_of
from lantern.survey.tables import outputs_of
from lantern.tune.shown import get_detector
from lantern.web.answers import json_answer
from lantern.web.pages import render, the_site

router = APIRouter()


@router.get("/links/{detector_id}")
def links_page(request: Request, detector_id: int) -> HTMLResponse:
    with transaction() as session:
        row = get_detector(session, detector_id)
        site = the_site(session)
        data = {
            "detectorId": row.id,
            "regions": sources_of(row.model),
            "links": [{"id": link.id, **link.model.model_dump(mode="json")} for link in links_of(session, row.id)],
            "outputs": [
                {"device": device.code, **output.model_dump()} for device, output in outputs_of(session, site.id)
            ],
            "timetables": [_timetable(t) for t in timetables_of(session, site.id)],
            "zone": site.zone,
        }
        return render(request, session, "links.html", stage="link", detector=row, data=data)


@router.post("/links/{detector_id}")
def make_link(detector_id: int, document: dict[str, Any] = Body()) -> Response:
    with transaction() as session:
        row = save_link(session, get_detector(session, detector_id), document, link_id=None)
        return json_answer({"id": row.id, **row.model.model_dump(mode="json")})


@router.put("/links/{detector_id}/{link_id}")
def change_link(detector_id: int, link_id: int, document: dict[str, Any] = Body()) -> Response:
    with transaction() as session:
        found = session.get(LinkRow, link_id)
        if found is None or found.detector_id != detector_id:
            raise HTTPException(404, f"Detector {detector_id} has no link {link_id}.")
        row = save_link(session, get_detector(session, detector_id), document, link_id=link_id)
        return json_answer({"id": row.id, **row.model.model_dump(mode="json")})


@router.delete("/links/{detector_id}/{link_id}")
def delete_link(detector_id: int, link_id: int) -> Response:
    with transaction() as session:
        found = session.get(LinkRow, link_id)
        if found is None or found.detector_id != detector_id:
            raise HTTPException(404, f"Detector {detector_id} has no link {link_id}.")
        session.delete(found)
        return json_answer({"deleted": link_id})


@router.post("/timetables")
def make_timetable(document: dict[str, Any] = Body()) -> Response:
    with transaction() as session:
        return json_answer(_timetable(save_timetable(session, the_site(session).id, document, timetable_id=None)))


@router.put("/timetables/{timetable_id}")
def change_timetable(timetable_id: int, document: dict[str, Any] = Body()) -> Response:
    with transaction() as session:
        found = session.get(TimetableRow, timetable_id)
        if found is None:
            raise HTTPException(404, f"There is no timetable {timetable_id}.")
        return json_answer(_timetable(save_timetable(session, found.site_id, document, timetable_id=timetable_id)))


@router.delete("/timetables/{timetable_id}")
def delete_timetable(timetable_id: int) -> Response:
    with transaction() as session:
        found = session.get(TimetableRow, timetable_id)
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
    return {"id": row.id, "summary": model.summary, "spans": spans, **model.model_dump(mode="json")}
