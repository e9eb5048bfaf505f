"""A device that sends ONVIF metadata over HTTP: one answer that does not end, a part a frame (multipart/x-mixed-replace)."""

from __future__ import annotations

import ssl
from collections.abc import AsyncGenerator
from functools import cache

import httpx
from python_multipart.exceptions import FormParserError
from python_multipart.multipart import MultipartParser, parse_options_header

from lantern.core.faults import LanternError

TIMEOUT_S = 5.0
LARGEST_PART = 1_000_000
MULTIPART = b"multipart/"


class StreamError(LanternError):
    """The device did not answer, or sends what is no metadata."""


@cache  # reading the certificates takes longer than the rest of a connection
def _trusted() -> ssl.SSLContext:
    return httpx.create_ssl_context()


async def metadata(url: str) -> AsyncGenerator[bytes, None]:
    """Its documents, frame by frame, as they were sent, until the device ends it. Raises `StreamError`."""
    try:
        async with (
            httpx.AsyncClient(timeout=httpx.Timeout(TIMEOUT_S), verify=_trusted()) as client,
            client.stream("GET", url) as answer,
        ):
            if answer.status_code != httpx.codes.OK:
                raise StreamError(f"{url} answers {answer.status_code}")
            parts = Parts(answer.headers.get("content-type", ""))
            async for chunk in answer.aiter_raw():
                for body in parts.take(chunk):
                    yield body
    except (httpx.HTTPError, httpx.InvalidURL) as error:
        raise StreamError(f"{url} does not answer: {type(error).__name__}") from error


class Parts:
    """The parts of an answer, as its bytes come. One that says how long it is need not wait for the one after it."""

    def __init__(self, content_type: str) -> None:
        """Raises `StreamError` for a type that has no parts."""
        kind, options = parse_options_header(content_type)
        boundary = options.get(b"boundary")
        if not kind.startswith(MULTIPART) or not boundary:
            raise StreamError(f"the device sends {content_type[:80] or 'no type'}; expected parts with a boundary")
        self._whole: list[bytes] = []
        self._name, self._value, self._body = b"", b"", bytearray()
        self._length: int | None = None
        self._told = False
        self._parser = MultipartParser(
            boundary,
            {
                "on_part_begin": self._begin,
                "on_header_field": self._field,
                "on_header_value": self._header_value,
                "on_header_end": self._header_end,
                "on_part_data": self._data,
                "on_part_end": self._tell,
            },
        )

    def take(self, chunk: bytes) -> list[bytes]:
        """Return the bodies that are whole now. Raises `StreamError` for what are no parts, and for one that is too large."""
        self._whole = []
        try:
            self._parser.write(chunk)
        except FormParserError as error:
            raise StreamError(f"the device sends what is no part: {error}") from error
        return self._whole

    def _begin(self) -> None:
        self._name, self._value, self._body, self._length, self._told = b"", b"", bytearray(), None, False

    def _field(self, data: bytes, start: int, end: int) -> None:
        self._name += data[start:end]

    def _header_value(self, data: bytes, start: int, end: int) -> None:
        self._value += data[start:end]

    def _header_end(self) -> None:
        value = self._value.strip()
        if self._name.strip().lower() == b"content-length" and value.isdigit() and len(value) < 10:
            self._length = int(value)
        self._name = self._value = b""

    def _data(self, data: bytes, start: int, end: int) -> None:
        self._body += data[start:end]
        if len(self._body) > LARGEST_PART:
            raise StreamError(f"the device sends a part of more than {LARGEST_PART} bytes")
        if self._length is not None and len(self._body) >= self._length:
            self._tell()

    def _tell(self) -> None:
        if not self._told:
            self._told = True
            self._whole.append(bytes(self._body if self._length is None else self._body[: self._length]))
