"""The page of what a head does by itself: its rounds and hours, and what each place of the plan gets of a day."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any

from fastapi import APIRouter, Body, Request
from fastapi.responses import HTMLResponse, Response
from pydantic import Field
from sqlalchemy.orm import Session

from lantern.core.faults import LanternError, Refused
from lantern.core.logic.timetable import zone_of
from lantern.core.modelled import Strict, read_model
from lantern.core.ptz.gaps import DIALS, Got
from lantern.core.ptz.rounds import PRESET, Sheet, cycle_s, findings, steps_of
from lantern.db.base import transaction
from lantern.db.numbers import Id
from lantern.duty.days import Judged, Known, blind, dates_known, known_of
from lantern.duty.holding import log_shown
from lantern.duty.night import NIGHT, begin_night
from lantern.duty.recorded import drives
from lantern.links.tables import timetables_of
from lantern.plan.actions import plan_model
from lantern.register.devices import change_device
from lantern.register.heads import sheet_of, steered_of, turned_of
from lantern.register.tables import DeviceRow
from lantern.sites.tables import site_of
from lantern.web.access import may, tell
from lantern.web.answers import json_answer
from lantern.web.door import user_id
from lantern.web.pages import render

router = APIRouter()
MOST_DROPPED = 200


class Draft(Strict):
    """A sheet as the page has it; `spot`: the place that is looked at, with its strips or without. `on`: a recorded day, of whose calls and
    hands the sheet is asked, or, `as_it_was`, what it gave.
    """

    sheet: dict[str, Any]
    spot: str | None = Field(default=None, max_length=200)
    strips: bool = False
    on: date | None = None
    as_it_was: bool = False


@router.get("/devices/{device_id}/duty", **may("viewer"))
def page(request: Request, device_id: Id) -> HTMLResponse:
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        steered_of(session, row)  # what does not turn has no duty
        sheet = sheet_of(row)
        plan = plan_model(session, row.site_id)
        presets = turned_of(row).presets
        data = {
            "device": row.id,
            "code": row.code,
            "sheet": sheet.model_dump(mode="json"),
            "presets": [[f"{PRESET}{each.number}", f"{each.number} {each.name}"] for each in presets],
            "timetables": [each.name for each in timetables_of(session, row.site_id)],
            "plan": {"width_m": plan.width_m, "height_m": plan.height_m},
            "dials": [{"key": key, "title": dial.title, "values": dial.values} for key, dial in DIALS.items()],
            "judged": _first(session, row, sheet),
            "log": log_shown(session, row),
            "days": [each.isoformat() for each in dates_known(session, row)],
        }
        return render(request, session, "duty.html", stage="survey", device=row, data=data)


def _first(session: Session, row: DeviceRow, sheet: Sheet) -> dict[str, Any]:
    try:
        return _shown(Judged(known_of(session, row), sheet), None, with_strips=True)
    except LanternError as error:
        return {"error": str(error)}


@router.post("/devices/{device_id}/duty/judge", **may("viewer"))
def judge(device_id: Id, draft: Draft) -> Response:
    """What a day would give by a sheet that is not kept."""
    sheet = read_model(Sheet, draft.sheet, where="duty")
    with transaction() as session:
        known = known_of(session, session.get_one(DeviceRow, device_id), draft.on)
    judged = Judged(known, sheet, draft.as_it_was)
    return json_answer(_shown(judged, draft.spot, draft.strips and not draft.as_it_was))


@router.post("/devices/{device_id}/duty/night", **may("viewer"))
def run_night(device_id: Id, sheet: Annotated[dict[str, Any], Body(embed=True)]) -> Response:
    """Have the stand-in go through a night by a sheet, kept or not, on a clock that runs fast."""
    read = read_model(Sheet, sheet, where="duty")
    with transaction() as session:
        known = known_of(session, session.get_one(DeviceRow, device_id))
    begin_night(device_id, known, read)
    return json_answer(NIGHT.told(device_id))


@router.get("/devices/{device_id}/duty/night", **may("viewer"))
def night(device_id: Id) -> Response:
    return json_answer(NIGHT.told(device_id))


@router.delete("/devices/{device_id}/duty/night", **may("viewer"))
def stop_night(device_id: Id) -> Response:
    NIGHT.stop(device_id)
    return json_answer(NIGHT.told(device_id))


@router.get("/devices/{device_id}/duty/driven", **may("viewer"))
def driven(device_id: Id) -> Response:
    """The ways that somebody drove it lately, as rounds have them."""
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        zone = zone_of(site_of(session, row.site_id).zone)
        found = drives(session, row.id)
    return json_answer(
        [
            {
                "who": each.who,
                "at": f"{each.at.astimezone(zone):%a %H:%M:%S}",
                "length_s": each.length_s,
                "moments": each.moments,
            }
            for each in found
        ]
    )


@router.post("/devices/{device_id}/duty", **may("engineer"))
def save(request: Request, device_id: Id, sheet: Annotated[dict[str, Any], Body()]) -> Response:
    held = read_model(Sheet, sheet, where="duty")
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        steered_of(session, row)
        document = {"duty": held.model_dump(mode="json")}
        reason = "What it does by itself."
        change_device(session, row, document, place=row.place, user_id=user_id(request), reason=reason)
        tell(request, f"{row.code}: {reason}")
    return json_answer({"sheet": held.model_dump(mode="json")})


def _shown(judged: Judged, spot: str | None, with_strips: bool) -> dict[str, Any]:
    known, sheet, day = judged.known, judged.sheet, judged.day
    site = known.site
    chosen = spot if any(each.name == spot for each in known.spots) else _worst(judged)
    strips = judged.strips(chosen) if chosen and with_strips else {}
    return {
        "lanes": [[round(each.from_s, 1), round(each.to_s, 1), each.by, each.do] for each in day.stretches],
        "dropped": [[each.at_s, each.dropped, each.because] for each in day.dropped[:MOST_DROPPED]],
        "calls": len(known.calls(sheet)),
        "lost": len(day.dropped),
        "span": [day.from_s, day.to_s],
        "spots": [_spot(judged, each) for each in judged.got],
        "places": [[each.name, each.x_m, each.y_m] for each in known.spots],
        "head": [site.head.x_m, site.head.y_m],
        "rounds": {each.name: _round(known, sheet, each.name) for each in sheet.rounds},
        "findings": [*findings(sheet, site.looks, site.head, known.sharp_after_s), *blind(known, sheet)],
        "chosen": chosen,
        "strips": [
            {"key": key, "title": DIALS[key].title, "points": points, "now": DIALS[key].now(sheet)}
            for key, points in strips.items()
        ],
        "cures": [
            {"key": each.dial, "title": DIALS[each.dial].title, "value": each.value, "longest_s": each.longest_s}
            for each in (judged.cures(chosen, strips) if chosen else [])
        ],
    }


def _worst(judged: Judged) -> str | None:
    """Return the place that misses its wish most; without wishes, the one that goes unseen longest of those that are seen at all."""
    wishes = judged.sheet.wishes
    wished = [each for each in judged.got if each.name in wishes]
    if wished:
        return max(wished, key=lambda each: each.longest_s / wishes[each.name]).name
    seen = [each for each in judged.got if each.times]
    return max(seen or judged.got, key=lambda each: each.longest_s).name if judged.got else None


def _spot(judged: Judged, each: Got) -> dict[str, Any]:
    wish = judged.sheet.wishes.get(each.name)
    word = "none" if wish is None else "pass" if each.longest_s <= wish else "fail"
    who = judged.who(each) if each.times else {}
    return each._asdict() | {"wish_s": wish, "word": word, "who": {by: round(s, 1) for by, s in who.items()}}


def _round(known: Known, sheet: Sheet, name: str) -> dict[str, Any]:
    """Return where a round looks, in order, and how long it takes; nothing where it cannot be done."""
    try:
        steps = steps_of(sheet, name, known.site.looks, known.site.head)
    except Refused:
        return {"cycle_s": None, "looks": []}
    looks = [
        [
            round(each.aim.pan_deg, 2),
            round(each.aim.tilt_deg, 2),
            each.settled,
            each.name,
            round(each.go_s, 3),
            round(each.stay_s, 3),
        ]
        for each in steps
    ]
    return {"cycle_s": cycle_s(steps), "looks": looks}
