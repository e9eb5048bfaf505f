"""Recording a live device: now, when, how much room; and what somebody says of what was live."""

from __future__ import annotations

from contextlib import suppress
from datetime import UTC, datetime, timedelta
from typing import Annotated, Any, Literal

import httpx
import orjson
from fastapi import APIRouter, Body, HTTPException, Request
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.db.base import now, transaction
from lantern.db.numbers import Id
from lantern.links.tables import timetables_of
from lantern.live.calls import ask_engine
from lantern.live.tables import EventRow
from lantern.recordings.actions import MOST_MINUTES
from lantern.recordings.budget import MB
from lantern.recordings.comparing import against_live
from lantern.recordings.tables import LiveMarkRow, RecordingPlanRow, RecordingRow, plan_of, recordings_of, used_bytes
from lantern.recordings.verdicts import judge_event, lacking, mark_missed
from lantern.register.tables import DeviceRow
from lantern.sites.tables import site_of
from lantern.takes.tables import CLOCK_S
from lantern.tune.shown import get_detector
from lantern.web.access import may, site_id_of
from lantern.web.answers import json_answer
from lantern.web.door import user_id

router = APIRouter()
SILENT = "The engine does not answer."
WIDE = timedelta(days=1)


class PlanIn(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    around: bool
    before_s: float = Field(ge=0, le=120)
    after_s: float = Field(ge=1, le=600)
    timetable: str = Field(max_length=120)


def _device(session: Session, device_id: int) -> DeviceRow:
    row = session.get(DeviceRow, device_id)
    if row is None:
        raise HTTPException(404, f"There is no device {device_id}.")
    return row


@router.get("/devices/{device_id}/recording", **may("viewer"))
def recording(device_id: Id) -> Response:
    """Return when the device is recorded, what was, and how much room there is."""
    with transaction() as session:
        device = _device(session, device_id)
        site = device.place.site
        return json_answer(
            {
                "plan": _plan_shown(plan_of(session, device_id)),
                "timetables": [row.name for row in timetables_of(session, site.id)],
                "recordings": [_shown(row) for row in recordings_of(session, device_id, 8)],
                "used_mb": round(used_bytes(session, site.id) / MB, 1),
                "room_mb": site.recording_mb,
                "most_clock_s": CLOCK_S,
                "live": _live(device_id),
            }
        )


def _live(device_id: int) -> Any:
    """Return how the engine stands with it; None: the engine is silent, or does not run the device."""
    try:
        return orjson.loads(ask_engine("GET", f"/state/{device_id}", timeout_s=1.0).content)["recording"]
    except httpx.HTTPError:
        return None


def _plan_shown(plan: RecordingPlanRow) -> dict[str, Any]:
    until = plan.wide_until
    return {
        "around": plan.around,
        "before_s": plan.before_s,
        "after_s": plan.after_s,
        "timetable": plan.timetable,
        "wide": None if until is None else {"until": until.timestamp(), "over": until <= now(), "seen": plan.wide_seen},
    }


def _shown(row: RecordingRow) -> dict[str, Any]:
    return {
        "id": row.id,
        "start": row.start.timestamp(),
        "length_s": round(row.length_s, 1),
        "why": row.why,
        "state": row.state,
        "ended": row.ended or "; ".join(f"{f['where']}: {f['what']}" for f in row.faults),
        "mb": round(row.packed_bytes / MB, 2),
        "lost": row.lost,
        "take": row.take_id,
        "clock_s": row.clock_s,
    }


@router.post("/devices/{device_id}/recording", **may("operator", "began a recording"))
def begin(device_id: Id, minutes: Annotated[float, Body(embed=True)]) -> Response:
    """Record from now on, for so long."""
    if not 0 < minutes <= MOST_MINUTES:
        raise Refused([Fault("minutes", f"{minutes:g}", f"above 0, at most {MOST_MINUTES}")])
    return _engine(f"/record/{device_id}?seconds={60 * minutes:g}")


@router.delete("/devices/{device_id}/recording", **may("operator", "stopped a recording"))
def stop(device_id: Id) -> Response:
    return _engine(f"/record/{device_id}/stop")


@router.get("/devices/{device_id}/recording/{number}/live", **may("viewer"))
def live_beside(device_id: Id, number: Id) -> Response:
    """Return how a recording judged anew differs from what was live, detector by detector."""
    with transaction() as session:
        row = session.get(RecordingRow, number)
        if row is None or row.device_id != device_id:
            raise HTTPException(404, f"There is no recording {number} of this device.")
        found = [{"detector": name} | held.as_dict() for name, held in against_live(session, row)]
        return json_answer({"id": row.id, "detectors": found})


def _engine(path: str) -> Response:
    try:
        answer = ask_engine("POST", path)
    except httpx.HTTPError as error:
        raise HTTPException(503, SILENT) from error
    return json_answer(orjson.loads(answer.content), answer.status_code)


@router.put("/devices/{device_id}/recording/plan", **may("engineer", "set when a device is recorded"))
def set_plan(device_id: Id, plan: PlanIn) -> Response:
    """Around each event, and in set hours."""
    with transaction() as session:
        device = _device(session, device_id)
        names = [row.name for row in timetables_of(session, device.place.site.id)]
        if plan.timetable and plan.timetable not in names:
            what = f"the site has no timetable {plan.timetable!r}"
            raise Refused([Fault("timetable", what, f"one of {', '.join(names) or 'none'}")])
        row = _held_plan(session, device_id)
        for key, value in plan.model_dump().items():
            setattr(row, key, value)
        session.flush()
        return json_answer(_plan_shown(row))


@router.put("/devices/{device_id}/recording/wide", **may("engineer", "set a day that is recorded wide"))
def set_wide(device_id: Id, what: Annotated[Literal["begin", "end", "seen"], Body(embed=True)]) -> Response:
    """A day around any activity; `seen`: the reminder that it is over is put away."""
    with transaction() as session:
        _device(session, device_id)
        row = _held_plan(session, device_id)
        if what == "begin":
            row.wide_from, row.wide_until, row.wide_seen = now(), now() + WIDE, False
        elif what == "end":
            row.wide_from = row.wide_until = None
        else:
            row.wide_seen = True
        session.flush()
        return json_answer(_plan_shown(row))


def _held_plan(session: Session, device_id: int) -> RecordingPlanRow:
    row = plan_of(session, device_id)
    session.add(row)
    return row


@router.put("/recording/room", **may("engineer", "set the room for recordings"))
def set_room(request: Request, mb: Annotated[int, Body(embed=True)]) -> Response:
    """Set how much of the disk is for the site's recordings."""
    if not 1 <= mb <= 10_000_000:
        raise Refused([Fault("mb", str(mb), "1 to 10,000,000 MB")])
    with transaction() as session:
        site_of(session, site_id_of(request)).recording_mb = mb
    with suppress(httpx.HTTPError):  # an engine that does not run looks when it starts
        ask_engine("POST", "/room")
    return json_answer({"room_mb": mb})


# ---- verdicts --------------------------------------------------------------------------------------------------------


@router.put("/walk/{detector_id}/events/{event_id}/verdict", **may("operator", "judged a live event"))
def judge(request: Request, detector_id: Id, event_id: Id, verdict: Annotated[str, Body(embed=True)]) -> Response:
    """It was right, or wrong: a mark on the recording that holds it."""
    with transaction() as session:
        event = session.get(EventRow, event_id)
        if event is None or event.detector_id != get_detector(session, detector_id).id:
            raise HTTPException(404, f"There is no event {event_id} of this detector.")
        return json_answer(_mark_shown(session, judge_event(session, event, verdict, user_id=user_id(request))))


@router.post("/walk/{detector_id}/missed", **may("operator", "marked what was missed"))
def missed(
    request: Request, detector_id: Id, start: Annotated[float, Body()], end: Annotated[float, Body()]
) -> Response:
    """Something between these times (Unix seconds) should have raised."""
    if not 0 < start < end < 1e11:
        raise Refused([Fault("missed", f"{start:g} to {end:g}", "a beginning before its end")])
    with transaction() as session:
        detector = get_detector(session, detector_id)
        at = [datetime.fromtimestamp(t, UTC) for t in (start, end)]
        return json_answer(_mark_shown(session, mark_missed(session, detector, *at, user_id=user_id(request))))


def _mark_shown(session: Session, row: LiveMarkRow) -> dict[str, Any]:
    return {"id": row.id, "verdict": row.verdict, "mark": row.mark_id, "lacking": lacking(session, row)}
