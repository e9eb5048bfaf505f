"""The engine's own small server, on loopback: devices send frames here, the web process asks here how things stand."""

from __future__ import annotations

import secrets
import zlib
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from typing import Annotated

import orjson
from fastapi import FastAPI, HTTPException, Query, WebSocket, WebSocketDisconnect
from fastapi.responses import Response, StreamingResponse

from lantern.core.faults import Refused
from lantern.formats.wire import unpack_frame
from lantern.live.engine import Engine
from lantern.live.feeds import FrameFeed

BAD_FRAME, NOT_ALLOWED = 1003, 1008


def make_app() -> FastAPI:
    engine = Engine()

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        await engine.start()
        yield
        await engine.stop()

    app = FastAPI(title="Rust Lantern engine", lifespan=lifespan, docs_url=None, redoc_url=None)
    app.state.engine = engine

    @app.websocket("/ingest/{code}")
    async def ingest(socket: WebSocket, code: str, token: Annotated[str, Query()] = "") -> None:
        """Frames of one device, see formats/wire.py. A frame that cannot be read ends the connection with the reason."""
        expected = engine.tokens.get(code)
        if expected is None or not secrets.compare_digest(expected, token):
            await socket.close(NOT_ALLOWED, "unknown device or wrong token")
            return
        await socket.accept()
        try:
            while True:
                header, pixels = unpack_frame(await socket.receive_bytes())
                await engine.take(code, header, pixels)
        except WebSocketDisconnect:
            return
        except Refused as error:
            await socket.close(BAD_FRAME, str(error)[:120])

    @app.get("/health")
    def health() -> dict[str, int]:
        return {"devices": len(engine.feeds), "modules": len(engine.delivery.modules)}

    @app.get("/state/{code}")
    def state(code: str) -> Response:
        return Response(orjson.dumps(engine.state(code)), media_type="application/json")

    @app.get("/stream/{code}")
    async def stream(code: str) -> StreamingResponse:
        """A JSON line each time something changed."""

        async def lines() -> AsyncIterator[bytes]:
            async for item in engine.stream(code):
                yield orjson.dumps(item, option=orjson.OPT_APPEND_NEWLINE)

        return StreamingResponse(lines(), media_type="application/x-ndjson")

    @app.get("/frame/{code}")
    def frame(code: str) -> Response:
        feed = engine.feeds.get(code)
        if not isinstance(feed, FrameFeed) or feed.header is None:
            raise HTTPException(404, "no frame yet")
        data = zlib.compress(feed.pixels.tobytes(), 1)
        return Response(data, media_type="application/octet-stream", headers={"X-Seq": str(feed.header.seq)})

    @app.post("/empty/{detector_id}")
    async def empty(detector_id: int) -> Response:
        """Nobody is inside: set a count's occupancy to 0."""
        try:
            return Response(orjson.dumps({"was": await engine.empty(detector_id)}), media_type="application/json")
        except Refused as error:
            faults = [fault.as_dict() for fault in error.faults]
            return Response(orjson.dumps({"message": str(error), "faults": faults}), 422, media_type="application/json")

    @app.get("/waits")
    def waits() -> dict[str, list[float]]:
        """Milliseconds from a frame's arrival to the end of its decisions, for the bench."""
        return {code: list(feed.waits_ms) for code, feed in engine.feeds.items()}

    return app
