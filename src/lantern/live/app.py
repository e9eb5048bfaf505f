"""The engine's two small servers: one that devices send frames to, and one on which the web process asks how things stand.

The first may listen to the site's network; the second never leaves loopback and answers only who knows the secret of this start.
"""

from __future__ import annotations

import secrets
from collections.abc import AsyncIterator, Awaitable, Callable
from typing import Any

import orjson
import structlog
from fastapi import FastAPI, HTTPException, Request, WebSocket
from fastapi.responses import Response, StreamingResponse
from starlette.applications import Starlette
from starlette.middleware.base import BaseHTTPMiddleware
from starlette.requests import HTTPConnection
from starlette.routing import Route, WebSocketRoute

from lantern.core.faults import Refused
from lantern.live.engine import Engine
from lantern.live.tape import Tape
from lantern.settings import settings
from lantern.signals.feed import Feed

log = structlog.get_logger()
NOT_ALLOWED = 1008
LOOPBACK = ("127.0.0.1", "::1")
IN_THE_OPEN = "Pictures of people are taken encrypted only: start with --certificate and --key, and post to https."


def make_ingest(engine: Engine) -> Starlette:
    """Return what devices reach: their own way in, and nothing else."""

    async def ingest(socket: WebSocket) -> None:
        """Frames of one device, see docs/wire.md. One that cannot be read is dropped, counted and shown at the device."""
        code, sent = socket.path_params["code"], _token(socket)
        device_id = engine.sender(code, sent)
        if device_id is None:
            await socket.close(NOT_ALLOWED, "unknown device or wrong token")
            return
        await socket.accept()
        while (message := await socket.receive())["type"] == "websocket.receive":
            feed = engine.feeds.get(device_id)
            if feed is None or engine.tokens.get(device_id) != (code, sent):
                await socket.close(NOT_ALLOWED, "this device is no longer on the site, or has another token now")
                return
            if "ws" not in feed.ways:
                await socket.close(NOT_ALLOWED, f"{code} sends its messages over HTTP")
                return
            await _take(engine, feed, message.get("bytes") or (message.get("text") or "").encode())

    async def message(request: Request) -> Response:
        """One message of a device, see docs/wire.md; one that comes again changes nothing."""
        code = request.path_params["code"]
        device_id = engine.sender(code, _token(request))
        feed = None if device_id is None else engine.feeds.get(device_id)
        if feed is None:
            return _answer({"message": "unknown device or wrong token"}, 401)
        if "http" not in feed.ways:
            return _answer({"message": f"{code} sends its frames over a WebSocket, and nothing over HTTP"}, 409)
        body = bytearray()
        async for part in request.stream():
            body += part
            if len(body) > feed.largest:
                feed.cannot_read(f"a message of more than {feed.largest} bytes")
                return _answer({"message": f"at most {feed.largest} bytes"}, 413)
        return await _take_posted(engine, feed, bytes(body), private=_is_private(request))

    way = "/ingest/{code}"
    return Starlette(routes=[WebSocketRoute(way, ingest), Route(way, message, methods=["POST"])])


def _token(asks: HTTPConnection) -> str:
    """Return what a device sent to be known by: in the header, or in its address."""
    return _bearer(asks.headers.get("authorization", "")) or asks.query_params.get("token", "")


def _is_private(request: Request) -> bool:
    """Return whether nobody else could read it on its way: it came encrypted, or never left this machine."""
    peer = request.client.host if request.client else ""
    return request.url.scheme == "https" or peer in LOOPBACK


async def _take_posted(engine: Engine, feed: Feed[Any], message: bytes, *, private: bool) -> Response:
    """Answered when what it caused is stored, so that a device knows what it need not send again."""
    try:
        frame = feed.read(message)
    except Refused as error:
        feed.cannot_read(str(error))
        engine.tell()
        return _answer({"message": str(error), "faults": [fault.as_dict() for fault in error.faults]}, 422)
    if not private and feed.pictures(frame):
        feed.cannot_read(IN_THE_OPEN)
        engine.tell()
        return _answer({"message": IN_THE_OPEN}, 403)
    again = feed.is_again(frame)
    if not again:
        await engine.take(feed.device_id, frame)
        feed.taken(frame)
    return _answer({"seq": frame.number, "taken": not again})


async def _take(engine: Engine, feed: Feed[Any], message: bytes) -> None:
    """One message; whatever is wrong with it, the next may come."""
    try:
        frame = feed.read(message)
    except Refused as error:
        feed.cannot_read(str(error))
        engine.tell()
        return
    try:
        await engine.take(feed.device_id, frame)
    except Exception as error:
        log.exception("feed failed", device=feed.code)
        feed.error = f"an error of the program, {type(error).__name__}: the log says more"


def make_app(engine: Engine) -> FastAPI:
    """Return what the web process asks."""
    app = FastAPI(title="Rust Lantern engine", docs_url=None, redoc_url=None, openapi_url=None)
    app.add_middleware(BaseHTTPMiddleware, dispatch=_known)

    @app.get("/health")
    def health() -> dict[str, int]:
        return {"devices": len(engine.feeds), "modules": len(engine.delivery.modules)}

    @app.get("/state/{device_id}")
    def state(device_id: int) -> Response:
        return _answer(engine.state(device_id))

    @app.get("/stream/{device_id}")
    async def stream(device_id: int) -> StreamingResponse:
        """A JSON line each time something changed."""

        async def lines() -> AsyncIterator[bytes]:
            async for item in engine.stream(device_id):
                yield orjson.dumps(item, option=orjson.OPT_APPEND_NEWLINE)

        return StreamingResponse(lines(), media_type="application/x-ndjson")

    @app.get("/frame/{device_id}")
    def frame(device_id: int) -> Response:
        feed = engine.feeds.get(device_id)
        picture = None if feed is None else feed.picture()
        if picture is None:
            raise HTTPException(404, "no picture yet")
        return Response(picture, media_type="application/octet-stream")

    @app.post("/told/{detector_id}/{what}")
    async def told(detector_id: int, what: str) -> Response:
        """Somebody says how a detector stands in truth, by a word of its family."""
        try:
            return _answer({"was": await engine.told(detector_id, what)})
        except Refused as error:
            return _answer({"message": str(error), "faults": [fault.as_dict() for fault in error.faults]}, 422)

    @app.post("/room")
    async def room() -> Response:
        """There may be room for recordings now."""
        engine.tapes.try_again()
        engine.tell()
        return _answer({})

    @app.post("/record/{device_id}")
    async def record(device_id: int, seconds: float) -> Response:
        """Record a device from now on, for so long."""
        return _on_tape(engine, device_id, lambda tape: tape.record_for(seconds))

    @app.post("/record/{device_id}/stop")
    async def stop_recording(device_id: int) -> Response:
        return _on_tape(engine, device_id, Tape.stop_recording)

    @app.get("/waits")
    def waits() -> dict[str, list[float]]:
        """Milliseconds from a frame's arrival to the end of its decisions, by device, for the bench."""
        return {feed.code: list(feed.waits_ms) for feed in engine.feeds.values()}

    return app


def _on_tape(engine: Engine, device_id: int, work: Callable[[Tape], None]) -> Response:
    try:
        tape = engine.tapes.of(device_id)
    except Refused as error:
        return _answer({"message": str(error), "faults": [fault.as_dict() for fault in error.faults]}, 422)
    work(tape)
    engine.tell()
    return _answer(tape.as_dict())


async def _known(request: Request, go_on: Callable[[Request], Awaitable[Response]]) -> Response:
    sent = _bearer(request.headers.get("authorization", ""))
    if not secrets.compare_digest(sent.encode(), settings().engine_secret.encode()):
        return _answer({"message": "This address is the program's own."}, 401)
    return await go_on(request)


def _bearer(authorization: str) -> str:
    scheme, _, credentials = authorization.partition(" ")
    return credentials.strip() if scheme.lower() == "bearer" else ""


def _answer(content: Any, status: int = 200) -> Response:
    return Response(orjson.dumps(content), status, media_type="application/json")
