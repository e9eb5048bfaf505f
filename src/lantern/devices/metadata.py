"""A device that sends ONVIF metadata over HTTP: one answer that does not end, a part a frame (multipart/x-mixed-replace)."""

from __future__ import annotations

from collections.abc import AsyncGenerator

import httpx

from lantern.core.faults import LanternError

TIMEOUT_S = 5.0
LARGEST_PART = 1_000_000
END_OF_HEADERS = b"\r\n\r\n"


class StreamError(LanternError):
    """The device did not answer, or sends what is no metadata."""


async def metadata(url: str) -> AsyncGenerator[bytes, None]:
    """Its documents, frame by frame, as they were sent, until the device ends it. Raises `StreamError`."""
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
                while (found := next_part(held)) is not None:
                    body, held = found
                    yield body
    except (httpx.HTTPError, httpx.InvalidURL) as error:
        raise StreamError(f"{url} does not answer: {type(error).__name__}") from error


def next_part(held: bytes) -> tuple[bytes, bytes] | None:
    """The body of the first whole part, and what follows it; None: not all of it is there. A part says how long it is, so that it
    need not wait for the one after it. Raises `StreamError` where it does not.
    """
    headers, mark, rest = held.partition(END_OF_HEADERS)
    if not mark:
        return None
    for line in headers.split(b"\r\n"):
        name, _, value = line.partition(b":")
        if name.strip().lower() == b"content-length" and value.strip().isdigit() and len(value) < 10:
            length = int(value)
            return None if len(rest) < length else (rest[:length], rest[length:])
    raise StreamError("a part does not say its Content-Length")
