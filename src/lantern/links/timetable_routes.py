"""Timetables: made, changed, deleted; as a year at a glance; days of a calendar in, and a calendar out."""

from __future__ import annotations

from datetime import date, timedelta
from functools import partial
from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException, Query, Request
from fastapi.responses import Response
from sqlalchemy.orm import Session

from lantern.core.logic.timetable import Timetable, zone_of
from lantern.db.base import now, transaction
from lantern.db.numbers import Count, Id
from lantern.formats.calendars import read_calendar, write_calendar
from lantern.formats.documents import read_model
from lantern.links.actions import DELETED, delete_timetable, placed, save_timetable
from lantern.links.shown import timetable_shown
from lantern.links.tables import TimetableRow
from lantern.revisions import hold
from lantern.sites.tables import site_of
from lantern.web.access import may, site_id_of
from lantern.web.answers import attachment, json_answer
from lantern.web.door import user_id
from lantern.web.outside import read_outside

router = APIRouter()
Reason = Annotated[str, Query(max_length=400)]
Year = Annotated[int, Query(ge=1970, le=2100)]
YEARS_OUT = 3  # of which holidays are written out


@router.post("/timetables", **may("engineer", "made a timetable"))
def make_timetable(request: Request, document: dict[str, Any] = Body()) -> Response:
    with transaction() as session:
        site, by = site_of(session, site_id_of(request)), user_id(request)
        return json_answer(timetable_shown(save_timetable(session, site.id, document, timetable_id=None, user_id=by)))


@router.put("/timetables/{timetable_id}", **may("engineer", "changed a timetable"))
def change_timetable(
    request: Request, timetable_id: Id, base: Count, reason: Reason, document: dict[str, Any] = Body()
) -> Response:
    with transaction() as session:
        site_id, by = _timetable_row(session, timetable_id).site_id, user_id(request)
        saved = save_timetable(
            session, site_id, document, timetable_id=timetable_id, base=base, reason=reason, user_id=by
        )
        return json_answer(timetable_shown(saved))


@router.delete("/timetables/{timetable_id}", **may("engineer", "deleted a timetable"))
def remove_timetable(request: Request, timetable_id: Id, base: Count, reason: Reason = DELETED) -> Response:
    with transaction() as session:
        found = _timetable_row(session, timetable_id)
        hold(session, found, base)
        delete_timetable(session, found, reason=reason, user_id=user_id(request))
        return json_answer({"deleted": timetable_id})


@router.post("/timetables/year", **may("viewer"))
def of_a_year(request: Request, year: Year, document: dict[str, Any] = Body()) -> Response:
    """How many minutes of each day of a year a timetable is on that is not kept, and what the day is if it is not like its weekday; and
    when its hours by the sun are today.
    """
    with transaction() as session:
        model = read_model(Timetable, placed(session, site_id_of(request), document), where="timetable")
    first = date(year, 1, 1)
    days: list[dict[str, Any]] = []
    while (day := first + timedelta(days=len(days))).year == year:
        hours, why = model.hours_on(day)
        days.append({"min": min(sum(each.length_min for each in hours), 1440), "why": why})
    return json_answer({"year": year, "days": days, "sun": model.sun_on(now().astimezone(zone_of(model.zone)).date())})


@router.post("/timetables/dates", **may("viewer"))
async def dates(request: Request, zone: str, name: str = Query(default="the calendar", max_length=200)) -> Response:
    """The body is an iCalendar file: its days, as a timetable has them. Nothing is stored."""
    found = await read_outside(request, partial(read_calendar, zone=zone, where=name), name=name)
    return json_answer([each.model_dump(mode="json") for each in found])


@router.get("/timetables/{timetable_id}.ics", **may("viewer"))
def calendar(timetable_id: Id) -> Response:
    with transaction() as session:
        model = _timetable_row(session, timetable_id).model
    this = now().year
    data = write_calendar(model, range(this, this + YEARS_OUT))
    return Response(data, 200, attachment(f"{model.name}.ics"), "text/calendar; charset=utf-8")


def _timetable_row(session: Session, timetable_id: int) -> TimetableRow:
    found = session.get(TimetableRow, timetable_id)
    if found is None:
        raise HTTPException(404, f"There is no timetable {timetable_id}.")
    return found
