"""What a relay module can do wrong, to be played on request: an installer sees how it looks, and the tests use it.

A wire lies before the stand-in's own server, and does to its answers what the fault asks for; what goes wrong with coils is done
by the stand-in itself.
"""

from __future__ import annotations

import asyncio
import socket
from collections.abc import Callable
from contextlib import suppress

HEAD = 6  # bytes of a Modbus TCP header before what its length counts: transaction, protocol, length
FAULTS = {
    "late": "answers after 1.4 s",
    "later": "answers after 3 s",
    "silent": "takes requests and never answers",
    "resets": "resets the connection at every request",
    "garbage": "answers with noise",
    "exceptions": "answers with exception 4, a failure of the device",
    "short": "answers with less than was asked for",
    "flips": "its coils flip back after 0.3 s",
    "stuck": "its coils stay as they are, and it says that they were written",
    "strange": "answers to a request that nobody made",
    "half": "sends half an answer",
    "huge": "says that its answer is 65 kB long",
}
DELAYS_S = {"late": 1.4, "later": 3.0}
FLIP_S = 0.3


_ON_THE_WIRE: dict[str, Callable[[bytes], bytes]] = {
    "garbage": lambda frame: bytes(137 * (n + 1) % 251 for n in range(len(frame) + 5)),
    "exceptions": lambda frame: frame[:4] + b"\x00\x03" + frame[6:7] + bytes([frame[7] | 0x80, 4]),
    "short": lambda frame: frame[:4] + b"\x00\x03" + frame[6:8] + b"\x00",
    "strange": lambda frame: bytes([frame[0] ^ 0x5A]) + frame[1:],
    "half": lambda frame: frame[: len(frame) // 2],
    "huge": lambda frame: frame[:4] + b"\xff\xff" + frame[6:] * 400,
}


def answered(fault: str, frame: bytes) -> bytes:
    """Return what goes out in the place of an answer."""
    return _ON_THE_WIRE.get(fault, bytes)(frame)


class Wire:
    """Takes connections at `port` and passes them on to `behind`, as long as it is up."""

    def __init__(self, port: int, behind: int, fault: Callable[[], str]) -> None:
        self._port, self._behind, self._fault = port, behind, fault
        self._server: asyncio.Server | None = None
        self._open: set[asyncio.StreamWriter] = set()

    async def start(self) -> None:
        self._server = await asyncio.start_server(self._serve, "127.0.0.1", self._port)

    async def stop(self) -> None:
        if self._server is not None:
            self._server.close()
            self.cut()
            self._server = None

    def cut(self) -> None:
        """End the connections there are, as a pulled cable does."""
        for writer in self._open:
            writer.transport.abort()

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self._open.add(writer)
        try:
            behind_reader, behind = await asyncio.open_connection("127.0.0.1", self._behind)
            self._open.add(behind)
            try:
                with suppress(OSError, asyncio.IncompleteReadError):
                    while True:
                        behind.write(await _frame(reader))
                        frame = await _frame(behind_reader)
                        if not await self._answer(writer, frame):
                            return
            finally:
                self._open.discard(behind)
                behind.close()
        finally:
            self._open.discard(writer)
            writer.close()

    async def _answer(self, writer: asyncio.StreamWriter, frame: bytes) -> bool:
        """Answer as the fault asks for; returns whether the connection goes on."""
        fault = self._fault()
        if fault == "resets":
            held = writer.get_extra_info("socket")
            held.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, b"\x01\x00\x00\x00\x00\x00\x00\x00")
            writer.transport.abort()
            return False
        if fault != "silent":
            await asyncio.sleep(DELAYS_S.get(fault, 0.0))
            writer.write(answered(fault, frame))
            await writer.drain()
        return True


async def _frame(reader: asyncio.StreamReader) -> bytes:
    head = await reader.readexactly(HEAD)
    return head + await reader.readexactly(int.from_bytes(head[4:6]))
