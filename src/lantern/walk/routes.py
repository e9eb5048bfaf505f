"""The walk page: the live engine as it runs, over server-sent events, with the controls of the stand-ins."""

from __future__ import annotations

import asyncio
from typing import Annotated, Any

import httpx
import orjson
from fastapi import APIRouter, Body, HTTPException, Request
from fastapi.responses import HTMLResponse, Response
from sqlalchemy.orm import Session
from sse_starlette.sse import EventSourceResponse

from lantern.benches.register import bench_of, parts_drawn
from lantern.core.devices import DEVICE_KINDS
from lantern.core.effects.switch.effect import Switch
from lantern.core.events import Raised
from lantern.core.kinds import family_of, kind_of
from lantern.core.linking.outcomes import OF_ORDER
from lantern.core.rule import CLEARED_WORDS
from lantern.db.base import now, transaction
from lantern.db.numbers import Count, Id
from lantern.links.tables import armed_links
from lantern.live.calls import ask_engine
from lantern.live.outbox import acknowledge
from lantern.live.tables import OrderRow, OutputRow, orders_of, recent_events
from lantern.people.tables import scale_of
from lantern.recordings.tables import LiveMarkRow, marks_on
from lantern.recordings.verdicts import lacking
from lantern.register.tables import outputs_of
from lantern.settings import settings
from lantern.signals.register import ground_of
from lantern.sites.tables import site_of
from lantern.takes.tables import marks_of, takes_of_device
from lantern.tune.shown import get_detector
from lantern.tune.tables import DetectorRow
from lantern.walk.following import SILENT, follow
from lantern.web.access import may, site_id_of, tell
from lantern.web.answers import json_answer
from lantern.web.door import user_id
from lantern.web.pages import offset_s, render

router = APIRouter()
LEAD_S = 6.0  # to see it come


@router.get("/walk/{detector_id}", **may("viewer"))
def walk_page(request: Request, detector_id: Id) -> HTMLResponse:
    with transaction() as session:
        row = get_detector(session, detector_id)
        links = armed_links(session, row.device.site_id, row.id)
        effects = [effect for armed in links for effect in armed.link.effects]
        modes = {effect.output: effect.mode for effect in effects if isinstance(effect, Switch)}
        scale = scale_of(session, user_id(request))
        kind = kind_of(row.kind)
        dials = kind.read_dials(row.model)
        ground = ground_of(DEVICE_KINDS[row.device.kind].signals)
        data = {
            "frame": parts_drawn(row.kind),
            "ground": ground,
            "quantity": scale.of(kind.unit(dials)).as_dict(),
            **bench_of(row.kind).page(session, row, kind, dials),
            "scale": {"level": scale.level.as_dict(), "difference": scale.difference.as_dict()},
            "detectorId": row.id,
            "device": row.device.code,
            "deviceId": row.device_id,
            "detector": row.body,
            "outputs": [
                {
                    "module": device.code,
                    "device": device.id,
                    **output.model_dump(),
                    "mode": modes.get(output.name),
                }
                for device, output in outputs_of(session, row.device.site_id)
            ],
            "standins": row.device.place.site.demo,
            "still": _still(session, row),
            "jumpS": _just_before(session, row),
            "offsetS": offset_s(row.device.place.site.zone),
        }
        return render(
            request,
            session,
            f"walk_{family_of(row.kind).name}.html",
            stage="walk",
            detector=row,
            data=data,
            notice=kind.notice,
        )


def _just_before(session: Session, row: DetectorRow) -> float:
    """Return where a stand-in camera, which plays what was recorded, shows the first thing that must raise; some
    seconds before.
    """
    for take in takes_of_device(session, row.device_id):
        expected = [m.start_s for m in marks_of(session, take.id) if m.label == "expect"]
        if expected:
            return max(min(expected) - LEAD_S, 0.0)
    return 0.0


def _still(session: Session, row: DetectorRow) -> str | None:
    """The picture of the scene that a device's objects move in, from a take of it."""
    take = next((take for take in takes_of_device(session, row.device_id) if take.still_type), None)
    return None if take is None else f"/takes/{take.id}/still"


@router.post("/walk/{detector_id}/told/{what}", **may("operator", "told a detector how it stands"))
def told(request: Request, detector_id: Id, what: str) -> Response:
    """Tell a detector how it stands in truth, by a word of its family, such as that nobody is inside."""
    if not what.isidentifier():
        raise HTTPException(404, "There is no such word.")
    tell(request, f"told a detector that it is {what}")
    try:
        answer = ask_engine("POST", f"/told/{detector_id}/{what}")
    except httpx.HTTPError as error:
        raise HTTPException(503, SILENT) from error
    return json_answer(orjson.loads(answer.content), answer.status_code)


@router.get("/walk/{detector_id}/stream", **may("viewer"))
async def stream(request: Request, detector_id: Id) -> EventSourceResponse:
    """States of the detector's device. When the engine is silent the page is told so, and it goes on trying."""
    digest: bytes = request.state.known.digest

    def device() -> int:
        with transaction() as session:
            return get_detector(session, detector_id).device_id

    return follow(await asyncio.to_thread(device), digest)


@router.get("/walk/{detector_id}/events", **may("viewer"))
def events(request: Request, detector_id: Id) -> Response:
    """The last events with how each of their orders stands."""
    with transaction() as session:
        detector = get_detector(session, detector_id)
        kind, scale = kind_of(detector.kind), scale_of(session, user_id(request))
        dials = kind.read_dials(detector.model)
        rows = recent_events(session, detector_id)
        orders: dict[int, list[dict[str, Any]]] = {}
        for order in orders_of(session, [row.id for row in rows]):
            output = session.get(OutputRow, (order.device_id, order.thing))
            orders.setdefault(order.event_id, []).append(_order_shown(order, output))
        said = {mark.event_id: mark for mark in marks_on(session, [row.id for row in rows])}
        return json_answer(
            [
                {
                    "id": row.id,
                    "verdict": _verdict(session, said.get(row.id)),
                    "region": row.region,
                    "raised": row.raised_at.timestamp(),
                    "repeat": row.repeat,
                    "cleared": row.cleared_at.timestamp() if row.cleared_at else None,
                    "clearedBy": CLEARED_WORDS.get(row.cleared_by or "", row.cleared_by),
                    "reading": row.reading,
                    "object": row.object,
                    "why": row.why,
                    "words": kind.raised_text(dials, Raised(row.reading, row.object, row.direction, row.own), scale),
                    "direction": row.direction,
                    "outcome": row.outcome,
                    "because": row.because,
                    "revision": row.revision,
                    "orders": orders.get(row.id, []),
                }
                for row in rows
            ]
        )


def _order_shown(order: OrderRow, output: OutputRow | None) -> dict[str, Any]:
    return {
        "output": order.thing,
        "stage": order.stage,
        "result": OF_ORDER.get(order.result),
        "at": order.at.timestamp(),
        "from": order.from_at.timestamp() if order.from_at else None,
        "to": order.to_at.timestamp() if order.to_at else None,
        "because": order.because,
        "tries": 0 if output is None else output.attempts,
    }


def _verdict(session: Session, mark: LiveMarkRow | None) -> dict[str, Any] | None:
    return None if mark is None else {"verdict": mark.verdict, "lacking": lacking(session, mark)}


@router.post("/walk/acknowledge", **may("operator", "acknowledged an output"))
def acknowledge_output(device: Annotated[Id, Body()], output: Annotated[str, Body()]) -> Response:
    """Let go of a latched output of a module."""
    with transaction() as session:
        return json_answer({"let_go": acknowledge(session, device, output, now())})


@router.get("/walk/standins/state", **may("viewer"))
def standins_state(request: Request) -> Response:
    return _standins(request, "GET", "/state", None)


@router.post("/walk/standins/camera/{code}/{what}", **may("operator"))
def standins_camera(request: Request, code: str, what: str, body: dict[str, Any] = Body(default={})) -> Response:
    return _standins(request, "POST", f"/camera/{code}/{what}", body)


@router.post("/walk/standins/relay/{what}", **may("operator"))
def standins_relay(request: Request, what: str) -> Response:
    return _standins(request, "POST", f"/relay/{what}", {})


@router.post("/walk/standins/relay/{part}/{number}/{what}", **may("operator"))
def standins_panel(request: Request, part: str, number: Count, what: str) -> Response:
    """A contact or a loop of the stand-in is set, as at its panel."""
    return _standins(request, "POST", f"/relay/{part}/{number}/{what}", {})


def _standins(request: Request, method: str, path: str, body: dict[str, Any] | None) -> Response:
    with transaction() as session:
        is_demo = site_of(session, site_id_of(request)).demo
    if not is_demo or not settings().standins_url:
        raise HTTPException(404, "No stand-ins play on this site.")
    try:
        answer = httpx.request(method, settings().standins_url + path, json=body, timeout=5)
    except httpx.HTTPError as error:
        raise HTTPException(503, "The stand-ins do not answer.") from error
    return json_answer(orjson.loads(answer.content), answer.status_code)
