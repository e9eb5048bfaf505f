"""The page on which a whole site is rehearsed: judged detector by detector, then played on one clock; what is expected of it is kept here."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Body, Query, Request
from fastapi.responses import HTMLResponse, Response

from lantern.core.linking.expectations import Expectation
from lantern.core.linking.supposed import Suppose
from lantern.db.base import transaction
from lantern.db.numbers import Id
from lantern.formats.documents import read_model
from lantern.register.tables import devices_of_site
from lantern.rehearse.expected import delete_expectation, save_expectation
from lantern.rehearse.playing import AS_IT_IS, Laid, heard, played, to_judge
from lantern.rehearse.runs import kept
from lantern.rehearse.site_wide import held_against, shown
from lantern.tune.shown import get_detector, take_for
from lantern.web.access import may, site_id_of
from lantern.web.answers import json_answer
from lantern.web.pages import render

router = APIRouter()
Seed = Annotated[int, Query(ge=0, le=999_999)]


@router.get("/rehearsal", **may("viewer"))
def page(request: Request) -> HTMLResponse:
    with transaction() as session:
        site_id = site_id_of(request)
        held = to_judge(session, site_id)
        rows = {row.id: row for row, _ in held}
        data = {
            "judge": [[row.id, take.id, f"{row.name} on {take.name}"] for row, take in held],
            "devices": [{"code": each.code, "name": each.name} for each in devices_of_site(session, site_id)],
            "detectors": [{"name": row.name, "revision": row.revision} for row in rows.values()],
        }
        return render(request, session, "rehearsal.html", stage="rehearse", detector=None, data=data)


@router.post("/rehearsal/judge/{detector_id}", **may("viewer"))
def judge(detector_id: Id, take: Id = Query()) -> Response:
    """Judge one detector on one take; what it found is remembered for the rehearsal."""
    with transaction() as session:
        row = get_detector(session, detector_id)
        chosen = take_for(session, row, take)
        assert chosen is not None  # another than its own is refused
        return json_answer({"events": len(heard(session, row, chosen).events)})


@router.post("/rehearsal/play", **may("viewer"))
def whole(request: Request, laid: Laid = "day", seed: Seed = 1) -> Response:
    """Play the whole site. What comes of it is kept in figures, and held against the last time that it was another."""
    with transaction() as session:
        site_id = site_id_of(request)
        told = shown(played(session, site_id, laid, seed=seed))
        sort = f"{laid} {seed}" if laid == "made up" else laid
        return json_answer(told | {"since": kept(session, site_id, sort, told)})


@router.post("/rehearsal/suppose", **may("viewer"))
def suppose(request: Request, document: dict[str, Any] = Body(), laid: Laid = "day", seed: Seed = 1) -> Response:
    """Play it as it is, and as somebody supposes; answers what comes out otherwise. Nothing of it is kept."""
    model = read_model(Suppose, document, where="suppose")
    with transaction() as session:
        site_id = site_id_of(request)
        base, run = (played(session, site_id, laid, each, seed) for each in (AS_IT_IS, model))
        return json_answer(held_against(base, run))


@router.post("/expectations", **may("engineer", "made or changed an expectation"))
def keep(request: Request, document: dict[str, Any] = Body()) -> Response:
    """One of a name takes the place of the one that is there."""
    model = read_model(Expectation, document, where="expectation")
    with transaction() as session:
        save_expectation(session, site_id_of(request), model)
        return json_answer(model.model_dump(mode="json"))


@router.delete("/expectations", **may("engineer", "deleted an expectation"))
def drop(request: Request, name: str = Query(max_length=200)) -> Response:
    with transaction() as session:
        delete_expectation(session, site_id_of(request), name)
        return json_answer({"deleted": name})
