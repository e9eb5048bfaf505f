"""The site: its places, devices, detectors and takes at a glance."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse
from sqlalchemy.orm import Session

from lantern.db.base import transaction
from lantern.links.tables import links_of
from lantern.takes.tables import TakeRow, marks_of, takes_of_site
from lantern.tune.tables import detectors_of_site
from lantern.web.pages import render, the_site

router = APIRouter()


@router.get("/")
def start() -> RedirectResponse:
    return RedirectResponse("/survey", 303)


@router.get("/survey")
def survey(request: Request) -> HTMLResponse:
    with transaction() as session:
        site = the_site(session)
        takes = takes_of_site(session, site.id)
        detectors = detectors_of_site(session, site.id)
        devices = [
            {
                "row": device,
                "place": place.name,
                "takes": [take for take in takes if take.device_id == device.id],
                "detectors": [d for d in detectors if d.device_id == device.id],
                "frame": _telling_frame(session, [take for take in takes if take.device_id == device.id]),
            }
            for place in site.places
            for device in place.devices
        ]
        links = {d.id: [row.model for row in links_of(session, d.id)] for d in detectors}
        return render(request, session, "survey.html", stage="survey", devices=devices, links=links)


def _telling_frame(session: Session, takes: list[TakeRow]) -> int:
    """Which frame of the first take to show: late in its first `expect` mark, where there is something to see."""
    if not takes:
        return 0
    expected = [mark for mark in marks_of(session, takes[0].id) if mark.label == "expect"]
    return min(int((expected[0].end_s - 4) / takes[0].interval_s), takes[0].samples - 1) if expected else 0
