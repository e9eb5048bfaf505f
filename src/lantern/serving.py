"""Serving HTTP: one way to set a server up, with time limits for those who are slow, and several servers in one process."""

from __future__ import annotations

import asyncio
import signal
import socket
from collections.abc import Awaitable, Callable, Iterator, Sequence
from contextlib import contextmanager
from typing import Any

import h11
import uvicorn
import uvloop
from uvicorn.protocols.http.h11_impl import H11Protocol

from lantern.settings import settings

HEADERS_S = 10.0  # from a connection, or a request's first byte, to the end of its headers
GRACE_S = 1.0  # where this process was late itself, what came meanwhile is read first
UNREAD_S = 60.0  # a client that reads nothing for so long is gone
MOST_CONNECTIONS = 400
GOODBYE_S = 2
LARGEST_MESSAGE = 64 * 2**20


class PatientProtocol(H11Protocol):
    """HTTP/1.1 that gives up on whoever does not end the headers, or does not read the answer."""

    def __init__(self, *arguments: Any, **named: Any) -> None:
        super().__init__(*arguments, **named)
        self._headers_due: asyncio.TimerHandle | None = None
        self._reading_due: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self._headers_due = self.loop.call_later(HEADERS_S, self._headers_late)

    def data_received(self, data: bytes) -> None:
        super().data_received(data)
        if self.conn.their_state is not h11.IDLE:
            self._headers_in_time()
        elif self._headers_due is None:
            self._headers_due = self.loop.call_later(HEADERS_S, self._headers_late)

    def handle_websocket_upgrade(self, event: Any) -> None:
        self._headers_in_time()
        super().handle_websocket_upgrade(event)

    def connection_lost(self, exc: Exception | None) -> None:
        self._headers_in_time()
        self._reads_again()
        super().connection_lost(exc)

    def pause_writing(self) -> None:
        super().pause_writing()
        self._reads_again()
        self._reading_due = self.loop.call_later(UNREAD_S, self.transport.abort)

    def resume_writing(self) -> None:
        self._reads_again()
        super().resume_writing()

    def _headers_late(self) -> None:
        self._headers_due = self.loop.call_later(GRACE_S, self.transport.abort)

    def _headers_in_time(self) -> None:
        if self._headers_due is not None:
            self._headers_due.cancel()
            self._headers_due = None

    def _reads_again(self) -> None:
        if self._reading_due is not None:
            self._reading_due.cancel()
            self._reading_due = None


class _Server(uvicorn.Server):
    """`held`: a socket that listens already, and goes on to when this process ends."""

    held: socket.socket | None = None

    async def serve(self, sockets: list[socket.socket] | None = None) -> None:
        await super().serve(sockets if self.held is None else [self.held])

    @contextmanager
    def capture_signals(self) -> Iterator[None]:
        """Signals are for all servers of the process: see `serve`."""
        yield


def server(
    app: Any, host: str, port: int, *, encrypted: bool = False, listens: socket.socket | None = None
) -> uvicorn.Server:
    """A server that is not started yet. Encrypted: with the certificate of the settings. `listens`: at this socket, which the
    caller has opened.
    """
    held = settings()
    config = uvicorn.Config(
        app,
        host=host,
        port=port,
        http=PatientProtocol,
        log_config=None,
        access_log=False,
        lifespan="off",
        limit_concurrency=MOST_CONNECTIONS,
        timeout_graceful_shutdown=GOODBYE_S,
        ws_max_size=LARGEST_MESSAGE,
        ws_per_message_deflate=False,
        server_header=False,
        proxy_headers=bool(held.trusted_proxies),
        forwarded_allow_ips=held.trusted_proxies or None,
        ssl_certfile=held.certificate if encrypted else None,
        ssl_keyfile=held.key if encrypted else None,
    )
    made = _Server(config)
    made.held = listens
    return made


async def _nothing() -> None:
    return None


def serve(
    servers: Sequence[uvicorn.Server],
    *,
    begin: Callable[[], Awaitable[None]] = _nothing,
    finish: Callable[[], Awaitable[None]] = _nothing,
) -> None:
    """Serve until told to end. `begin` comes before the first request, `finish` as soon as the end is known."""
    with asyncio.Runner(loop_factory=uvloop.new_event_loop) as runner:
        runner.run(_serve(servers, begin, finish))


async def _serve(
    servers: Sequence[uvicorn.Server], begin: Callable[[], Awaitable[None]], finish: Callable[[], Awaitable[None]]
) -> None:
    told, loop = asyncio.Event(), asyncio.get_running_loop()
    for number in (signal.SIGTERM, signal.SIGINT):
        loop.add_signal_handler(number, told.set)
    ending = asyncio.create_task(told.wait())
    beginning = asyncio.ensure_future(begin())
    await asyncio.wait([ending, beginning], return_when=asyncio.FIRST_COMPLETED)
    if told.is_set():
        beginning.cancel()
        await asyncio.gather(beginning, return_exceptions=True)
    else:
        await beginning
        serving = [asyncio.create_task(each.serve()) for each in servers]
        await asyncio.wait([ending, *serving], return_when=asyncio.FIRST_COMPLETED)
        await finish()
        for each in servers:
            each.should_exit = True
        await asyncio.gather(*serving)
    ending.cancel()
