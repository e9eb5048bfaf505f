"""The site: its places, devices, detectors and takes at a glance. A fixed number of queries, however large the site."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from typing import Any

from fastapi import APIRouter, HTTPException, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from sqlalchemy.orm import Session

from lantern.core.devices import DEVICE_KINDS
from lantern.core.linking.links import LinkRule
from lantern.db.base import transaction
from lantern.links.tables import links_of_site
from lantern.register.tables import devices_of_site
from lantern.sites.tables import site_of
from lantern.takes.tables import ListedTake, listed_takes, marks_of_takes
from lantern.tune.tables import ListedDetector, detectors_of_site, listed_detectors
from lantern.web.access import may, site_id_of
from lantern.web.pages import render

router = APIRouter()
BEFORE_END_S = 4.0
STAGES = {  # of a detector: what its page is about, and its address
    "tune": ("Tune", "every dial shows what each value would miss and raise falsely, on your own takes", "/bench"),
    "link": ("Link", "what happens when a detector raises", "/links"),
    "rehearse": ("Rehearse", "a take from reading to lamp on one clock", "/rehearse"),
    "walk": ("Walk", "the detector live, while somebody walks through", "/walk"),
}


@router.get("/survey", **may("viewer"))
def survey(request: Request) -> HTMLResponse:
    with transaction() as session:
        site = site_of(session, site_id_of(request))
        rows = devices_of_site(session, site.id, retired=True)
        takes: dict[int, list[ListedTake]] = defaultdict(list)
        for take in listed_takes(session, site.id):
            takes[take.device_id].append(take)
        detectors: dict[int, list[ListedDetector]] = defaultdict(list)
        for detector in listed_detectors(session, site.id):
            detectors[detector.device_id].append(detector)
        links: dict[int, list[LinkRule]] = defaultdict(list)
        for link in links_of_site(session, site.id):
            if link.detector_id is not None:
                links[link.detector_id].append(link.model)
        frames = _telling_frames(session, [held[0] for held in takes.values()])
        places = {place.id: (place.position, place.name) for place in site.places}
        devices = [
            {
                "row": device,
                "place": places[device.place_id][1],
                "takes": takes[device.id],
                "detectors": detectors[device.id],
                "frame": frames[takes[device.id][0].id] if takes[device.id] else 0,
            }
            for device in sorted(rows, key=lambda row: (places[row.place_id], row.code))
            if not device.retired
        ]
        retired = [row for row in rows if row.retired]
        return render(
            request,
            session,
            "survey.html",
            stage="survey",
            devices=devices,
            links=links,
            retired=retired,
            kinds=DEVICE_KINDS,
        )


@router.get("/begin/{stage}", **may("viewer"))
def begin(request: Request, stage: str) -> Response:
    """Go to what a stage needs before it can show anything; as soon as there is a detector, the stage itself."""
    if stage not in STAGES:
        raise HTTPException(404, f"There is no stage {stage[:20]!r}.")
    title, why, address = STAGES[stage]
    with transaction() as session:
        site = site_of(session, site_id_of(request))
        rows = detectors_of_site(session, site.id)
        if rows:
            return RedirectResponse(f"/sites/{site.id}{address}/{rows[0].id}", 303)
        devices = [device for device in devices_of_site(session, site.id) if DEVICE_KINDS[device.kind].signals]
        takes = listed_takes(session, site.id)
        on = takes[0].device_id if takes else devices[0].id if devices else 0
        steps = [
            _step(
                "place", bool(site.places), "A place", "Where devices hang: a hall, a gate.", "/survey", "Make a place"
            ),
            _step(
                "device",
                bool(devices),
                "A device",
                "What it gives decides what can be tuned on it.",
                "/devices/new",
                "New device",
            ),
            _step(
                "take",
                bool(takes),
                "A take",
                "A stretch of what the device recorded: the evidence.",
                f"/takes?import={on}",
                "Import a take",
            ),
            _step(
                "detector",
                False,
                "A detector",
                "What must raise, drawn on the take.",
                f"/detectors/new?device={on}",
                "New detector",
            ),
        ]
        coming = next(step["key"] for step in steps if not step["done"])
        return render(request, session, "begin.html", stage=stage, title=title, why=why, steps=steps, next=coming)


def _step(key: str, done: bool, title: str, says: str, href: str, button: str) -> dict[str, Any]:
    return {"key": key, "done": done, "title": title, "says": says, "href": href, "button": button}


def _telling_frames(session: Session, takes: Sequence[ListedTake]) -> dict[int, int]:
    """Return which frame of each take to show: late in its first `expect` mark, where there is something to see."""
    first: dict[int, float] = {}
    for take_id, marks in marks_of_takes(session, [take.id for take in takes]).items():
        expected = [mark.end_s for mark in marks if mark.label == "expect"]
        if expected:
            first[take_id] = expected[0]
    frames = dict.fromkeys((take.id for take in takes), 0)
    for take in takes:
        if take.id in first and take.interval_s:
            frames[take.id] = int(min((first[take.id] - BEFORE_END_S) / take.interval_s, take.samples - 1))
    return frames
