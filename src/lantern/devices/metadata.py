"""A device that sends ONVIF metadata over HTTP: one answer that does not end, a part a frame (multipart/x-mixed-replace)."""

from __future__ import annotations

from collections.abc import AsyncIterator

import httpx

from lantern.core.faults import LanternError
from lantern.core.objects.following import Seen
from lantern.formats.onvif import read_frame

TIMEOUT_S = 5.0
LARGEST_PART = 1_000_000
BOUNDARY = b"--frame\r\n"


class StreamError(LanternError):
    """The device did not answer, or sends what is no metadata."""


async def metadata(url: str, width: int, height: int) -> AsyncIterator[tuple[float, list[Seen]]]:
    """(device's Unix seconds, what it sees), frame by frame, until the device ends it. Raises `StreamError`, `Refused`."""
    held = b""
    try:
        async with (
            httpx.AsyncClient(timeout=httpx.Timeout(TIMEOUT_S)) as client,
            client.stream("GET", url) as answer,
        ):
            if answer.status_code != httpx.codes.OK:
                raise StreamError(f"{url} answers {answer.status_code}")
            async for chunk in answer.aiter_raw():
                held += chunk
                if len(held) > LARGEST_PART:
                    raise StreamError(f"{url} sends a part of more than {LARGEST_PART} bytes")
                *parts, held = held.split(BOUNDARY)
                for part in parts:
                    body = part.partition(b"\r\n\r\n")[2].strip()
                    if body:
                        yield read_frame(body, where=url, width=width, height=height)
    except httpx.HTTPError as error:
        raise StreamError(f"{url} does not answer: {type(error).__name__}") from error
