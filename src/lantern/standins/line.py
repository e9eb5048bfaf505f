"""A stand-in's line to the engine: JSON posted over one connection that is kept, with the device's token."""

from __future__ import annotations

import asyncio
import ssl
from http.client import HTTPConnection, HTTPException, HTTPSConnection
from typing import NamedTuple
from urllib.parse import urlsplit

WAIT_S = 5.0


class LineError(Exception):
    """Nobody answered."""


class Answer(NamedTuple):
    status: int
    text: str

    @property
    def is_success(self) -> bool:
        return 200 <= self.status < 300


class Line:
    """By the standard library's client in a thread: hundreds of messages a second would cost most of a core otherwise."""

    def __init__(self, url: str, token: str, encryption: ssl.SSLContext | None = None) -> None:
        parts = urlsplit(url)
        self._path = parts.path
        self._headers = {"Authorization": f"Bearer {token}", "Content-Type": "application/json"}
        host, port = str(parts.hostname), parts.port
        self._connection = (
            HTTPSConnection(host, port, timeout=WAIT_S, context=encryption)
            if parts.scheme == "https"
            else HTTPConnection(host, port, timeout=WAIT_S)
        )

    async def post(self, body: str) -> Answer:
        """Raises `LineError` where nobody answers."""
        return await asyncio.to_thread(self._post, body.encode())

    def _post(self, body: bytes) -> Answer:
        kept = self._connection.sock is not None
        try:
            return self._asked(body)
        except (OSError, HTTPException) as error:
            self._connection.close()
            if not kept:
                raise LineError(repr(error)) from error
        try:  # a connection that was kept may have been closed meanwhile: a message that comes again is known by its number
            return self._asked(body)
        except (OSError, HTTPException) as error:
            self._connection.close()
            raise LineError(repr(error)) from error

    def _asked(self, body: bytes) -> Answer:
        self._connection.request("POST", self._path, body, self._headers)
        answer = self._connection.getresponse()
        return Answer(answer.status, answer.read().decode(errors="replace"))

    def close(self) -> None:
        self._connection.close()
