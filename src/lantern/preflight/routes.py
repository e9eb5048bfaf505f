"""The page of the preflight: what is found by place and gravity, accepted, mended, undone."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response
from pydantic import Field
from sqlalchemy.orm import Session

from lantern.core.modelled import Strict
from lantern.core.preflight.finding import GRAVITY
from lantern.db.base import transaction
from lantern.people.tables import User
from lantern.plan.actions import plan_model
from lantern.preflight.actions import accept, mend, note_seen, take_back, undo
from lantern.preflight.jumps import Jumps
from lantern.preflight.looking import look
from lantern.preflight.tables import SeenRow
from lantern.register.tables import devices_of_site
from lantern.sites.tables import places_of
from lantern.web.access import may, site_id_of, tell
from lantern.web.answers import json_answer
from lantern.web.door import user_id
from lantern.web.pages import render

router = APIRouter()
OF_SITE = "The site"


class Which(Strict):
    """A finding, by its rule and where it lies; `because`: why somebody lives with it."""

    rule: str = Field(max_length=80)
    at: str = Field(max_length=400)
    because: str = Field(default="", max_length=2000)


class Before(Strict):
    """The state before a quick fix, and the number of the one that the fix made."""

    revision_id: int = Field(ge=1, le=2**31 - 1)
    number: int = Field(ge=1, le=2**31 - 1)


@router.get("/preflight", **may("viewer"))
def page(request: Request) -> HTMLResponse:
    with transaction() as session:
        plan = plan_model(session, site_id_of(request))
        data = {"plan": {"width_m": plan.width_m, "height_m": plan.height_m}} | shown(request, session)
        return render(request, session, "preflight.html", stage="preflight", detector=None, data=data)


@router.get("/preflight.json", **may("viewer"))
def findings(request: Request) -> Response:
    with transaction() as session:
        return json_answer(shown(request, session))


def shown(request: Request, session: Session) -> dict[str, Any]:
    """Return what is found now, by place, with where to mend it and what is new to whoever asks."""
    site_id = site_id_of(request)
    row, jumps = look(session, site_id), Jumps(session, site_id)
    seen = session.get(SeenRow, (user_id(request), site_id))
    places = {place.id: place.name for place in places_of(session, site_id)}
    devices = {device.code: device for device in devices_of_site(session, site_id, retired=True)}
    stands = [
        [code, device.extras["mount"]["x_m"], device.extras["mount"]["y_m"]]
        for code, device in devices.items()
        if not device.retired and (device.extras.get("mount") or {}).get("x_m") is not None
    ]
    found = [
        each
        | {
            "place": places[devices[each["code"]].place_id] if each["code"] in devices else OF_SITE,
            "to": jumps.to(each["at"]),
            "fresh": seen is not None and each["since"] > seen.at.isoformat(),
        }
        for each in row.findings
    ]
    order = [*places.values(), OF_SITE]
    found.sort(key=lambda each: (order.index(each["place"]), GRAVITY.index(each["severity"]), each["code"] or ""))
    return {
        "findings": found,
        "places": order,
        "stands": stands,
        "at": row.at.timestamp(),
        "seen": None if seen is None else seen.at.timestamp(),
    }


@router.post("/preflight/accept", **may("engineer"))
def accept_one(request: Request, which: Which) -> Response:
    with transaction() as session:
        by = session.get_one(User, user_id(request))
        accept(session, site_id_of(request), which.rule, which.at, because=which.because, user=by)
        tell(request, f"accepted a finding: {which.rule} at {which.at or 'the site'}")
        return json_answer(shown(request, session))


@router.post("/preflight/take-back", **may("engineer"))
def take_back_one(request: Request, which: Which) -> Response:
    with transaction() as session:
        take_back(session, site_id_of(request), which.rule, which.at)
        tell(request, f"took an acceptance back: {which.rule} at {which.at or 'the site'}")
        return json_answer(shown(request, session))


@router.post("/preflight/mend", **may("engineer"))
def mend_one(request: Request, which: Which) -> Response:
    with transaction() as session:
        done = mend(session, site_id_of(request), which.rule, which.at, user_id=user_id(request))
        tell(request, f"mended a finding: {done.label}")
        return json_answer(shown(request, session) | {"done": done._asdict()})


@router.post("/preflight/undo", **may("engineer", "undid a quick fix of the preflight"))
def undo_one(request: Request, before: Before) -> Response:
    with transaction() as session:
        undo(session, site_id_of(request), before.revision_id, before.number, user_id=user_id(request))
        return json_answer(shown(request, session))


@router.post("/preflight/seen", **may("viewer"))
def seen_all(request: Request) -> Response:
    """All that is found by now is new to whoever asks no more."""
    with transaction() as session:
        note_seen(session, site_id_of(request), user_id(request))
        return json_answer(shown(request, session))
