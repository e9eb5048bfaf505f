"""The walk page: the live engine as it runs, over server-sent events, with the controls of the stand-ins."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from typing import Any

import httpx
import orjson
from fastapi import APIRouter, Body, HTTPException, Request
from fastapi.responses import HTMLResponse, Response
from sqlalchemy.orm import Session
from sse_starlette.sse import EventSourceResponse

from lantern.core.kinds import kind_of
from lantern.db.base import transaction
from lantern.links.tables import armed_links
from lantern.live.recorder import acknowledge
from lantern.live.tables import effects_of, recent_events
from lantern.people.tables import scale_of
from lantern.settings import settings
from lantern.survey.tables import outputs_of
from lantern.takes.tables import marks_of, takes_of_device
from lantern.tune.shown import get_detector
from lantern.tune.tables import DetectorRow
from lantern.web.answers import json_answer
from lantern.web.pages import render

router = APIRouter()
ASK_AGAIN_S = 1.0
LEAD_S = 6.0  # to see it come
SILENT = "The engine does not answer."


@router.get("/walk/{detector_id}")
def walk_page(request: Request, detector_id: int) -> HTMLResponse:
    with transaction() as session:
        row = get_detector(session, detector_id)
        links = armed_links(session, row.device.site_id, row.id)
        modes = {effect.output: effect.mode for armed in links for effect in armed.link.effects}
        scale = scale_of(session, request.session["user_id"])
        data = {
            "scale": {"level": scale.level.as_dict(), "difference": scale.difference.as_dict()},
            "detectorId": row.id,
            "device": row.device.code,
            "detector": row.body,
            "outputs": [
                {"module": device.code, **output.model_dump(), "mode": modes.get(output.name)}
                for device, output in outputs_of(session, row.device.site_id)
            ],
            "standins": bool(settings().standins_url),
            "kind": row.kind,
            "still": _still(session, row),
            "jumpS": _just_before(session, row),
            "offsetS": _offset_s(row.device.place.site.zone),
        }
        return render(
            request, session, "walk.html", stage="walk", detector=row, data=data, notice=kind_of(row.kind).notice
        )


def _just_before(session: Session, row: DetectorRow) -> float:
    """Where a stand-in camera, which plays what was recorded, shows the first thing that must raise; some seconds before."""
    for take in takes_of_device(session, row.device_id):
        expected = [m.start_s for m in marks_of(session, take.id) if m.label == "expect"]
        if expected:
            return max(min(expected) - LEAD_S, 0.0)
    return 0.0


def _still(session: Session, row: DetectorRow) -> str | None:
    """The picture of the scene that a device's objects move in, from a take of it."""
    take = next((take for take in takes_of_device(session, row.device_id) if take.still_type), None)
    return None if take is None else f"/takes/{take.id}/still"


@router.post("/walk/{detector_id}/empty")
def nobody_inside(detector_id: int) -> Response:
    """Set a count's occupancy to nobody; refused while anybody is in view."""
    try:
        answer = httpx.post(f"{settings().engine_url}/empty/{detector_id}", timeout=5)
    except httpx.HTTPError as error:
        raise HTTPException(503, SILENT) from error
    return json_answer(orjson.loads(answer.content), answer.status_code)


@router.get("/walk/{detector_id}/stream")
async def stream(request: Request, detector_id: int) -> EventSourceResponse:
    """States of the detector's device. When the engine is silent the page is told so, and it goes on trying."""

    def code() -> str:
        with transaction() as session:
            return get_detector(session, detector_id).device.code

    device = await asyncio.to_thread(code)

    async def events() -> AsyncIterator[dict[str, str]]:
        async with httpx.AsyncClient(timeout=httpx.Timeout(5.0, read=10.0)) as client:
            while not await request.is_disconnected():
                try:
                    async with client.stream("GET", f"{settings().engine_url}/stream/{device}") as answer:
                        async for line in answer.aiter_lines():
                            yield {"event": "state", "data": line}
                except httpx.HTTPError:
                    yield {"event": "silent", "data": SILENT}
                await asyncio.sleep(ASK_AGAIN_S)

    return EventSourceResponse(events(), ping=15)


@router.get("/walk/{detector_id}/frame")
def frame(detector_id: int) -> Response:
    """The device's last frame: raw pixels, deflated."""
    with transaction() as session:
        device = get_detector(session, detector_id).device.code
    try:
        answer = httpx.get(f"{settings().engine_url}/frame/{device}", timeout=5)
    except httpx.HTTPError as error:
        raise HTTPException(503, SILENT) from error
    if answer.status_code != 200:
        raise HTTPException(404, "No frame has come yet.")
    headers = {"Content-Encoding": "deflate", "Cache-Control": "no-store", "X-Seq": answer.headers["X-Seq"]}
    return Response(answer.content, 200, headers, "application/octet-stream")


@router.get("/walk/{detector_id}/events")
def events(detector_id: int) -> Response:
    """The last events with what became of each of their effects."""
    with transaction() as session:
        rows = recent_events(session, detector_id)
        effects: dict[int, list[dict[str, Any]]] = {}
        for effect in effects_of(session, [row.id for row in rows]):
            effects.setdefault(effect.event_id, []).append(
                {
                    "output": effect.output,
                    "active": effect.active,
                    "state": effect.state,
                    "attempts": effect.attempts,
                    "due": effect.due_at.timestamp(),
                    "note": effect.note,
                    "delivered": effect.delivered_at.timestamp() if effect.delivered_at else None,
                }
            )
        return json_answer(
            [
                {
                    "id": row.id,
                    "region": row.region,
                    "raised": row.raised_at.timestamp(),
                    "repeat": row.repeat,
                    "cleared": row.cleared_at.timestamp() if row.cleared_at else None,
                    "clearedBy": row.cleared_by,
                    "reading": row.reading,
                    "object": row.object,
                    "direction": row.direction,
                    "outcome": row.outcome,
                    "revision": row.revision,
                    "effects": effects.get(row.id, []),
                }
                for row in rows
            ]
        )


@router.post("/walk/acknowledge")
def acknowledge_output(output: str = Body(embed=True)) -> Response:
    with transaction() as session:
        return json_answer({"let_go": acknowledge(session, output)})


@router.get("/walk/standins/state")
def standins_state() -> Response:
    return _standins("GET", "/state", None)


@router.post("/walk/standins/camera/{code}/{what}")
def standins_camera(code: str, what: str, body: dict[str, Any] = Body(default={})) -> Response:
    return _standins("POST", f"/camera/{code}/{what}", body)


@router.post("/walk/standins/relay/{what}")
def standins_relay(what: str) -> Response:
    return _standins("POST", f"/relay/{what}", {})


def _standins(method: str, path: str, body: dict[str, Any] | None) -> Response:
    if not settings().standins_url:
        raise HTTPException(404, "No stand-ins run here.")
    try:
        answer = httpx.request(method, settings().standins_url + path, json=body, timeout=5)
    except httpx.HTTPError as error:
        raise HTTPException(503, "The stand-ins do not answer.") from error
    return json_answer(orjson.loads(answer.content), answer.status_code)


def _offset_s(zone: str) -> float:
    from datetime import datetime
    from zoneinfo import ZoneInfo

    offset = datetime.now(ZoneInfo(zone)).utcoffset()
    assert offset is not None
    return offset.total_seconds()
