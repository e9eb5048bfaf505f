"""How a device stands, as the engine tells it, for a page that follows: server-sent events until the log-in ends."""

from __future__ import annotations

import asyncio
import time
from collections.abc import AsyncIterator

import httpx
from sse_starlette.sse import EventSourceResponse
from starlette.background import BackgroundTask

from lantern.core.faults import LanternError
from lantern.live.calls import credentials, engine_url
from lantern.people.sessions import is_open
from lantern.web.streams import STREAMS

ASK_AGAIN_S = 0.5
STILL_OPEN_S = 5.0  # between two looks whether the log-in has ended
SILENT = "The engine does not answer."


def follow(device_id: int, digest: bytes) -> EventSourceResponse:
    """States of a device, `digest` being of the session that follows. When the engine is silent it is told so, and goes on trying."""
    place = STREAMS.take(digest)

    async def events() -> AsyncIterator[dict[str, str]]:
        with place:
            async for event in _states(device_id, digest):
                yield event

    return EventSourceResponse(events(), ping=15, background=BackgroundTask(place.leave))


async def _states(device_id: int, digest: bytes) -> AsyncIterator[dict[str, str]]:
    """Yield states until the log-in has ended."""
    looked = time.monotonic()
    async with httpx.AsyncClient(timeout=httpx.Timeout(5.0, read=10.0), headers=credentials()) as client:
        while True:
            try:
                async with client.stream("GET", engine_url(f"/stream/{device_id}")) as answer:
                    answer.raise_for_status()
                    async for line in answer.aiter_lines():
                        yield {"event": "state", "data": line}
                        if time.monotonic() - looked > STILL_OPEN_S:
                            looked = time.monotonic()
                            if not await asyncio.to_thread(is_open, digest):
                                yield {"event": "ended", "data": "You are logged out."}
                                return
            except (httpx.HTTPError, LanternError):
                yield {"event": "silent", "data": SILENT}
            await asyncio.sleep(ASK_AGAIN_S)
