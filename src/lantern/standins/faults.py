"""What a relay module can do wrong, to be played on request: an installer sees how it looks, and the tests use it.

What goes wrong with answers is done to the bytes on their way out; what goes wrong with coils is done by the stand-in itself.
"""

from __future__ import annotations

import struct
from collections.abc import Callable
from socket import SO_LINGER, SOL_SOCKET
from typing import Any

from pymodbus.server import ModbusTcpServer
from pymodbus.server.requesthandler import ServerRequestHandler
from pymodbus.simulator import SimDevice

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


class FaultyServer(ModbusTcpServer):
    """Serves the device at `port` of loopback, and answers as `fault()` asks for."""

    def __init__(self, device: SimDevice, port: int, fault: Callable[[], str]) -> None:
        super().__init__(device, address=("127.0.0.1", port))
        self.fault = fault

    def callback_new_connection(self) -> ServerRequestHandler:
        return _Answering(self)

    def cut(self) -> None:
        """End the connections there are, as a pulled cable does."""
        for each in list(self.active_connections.values()):
            each.abort()  # type: ignore[attr-defined] # each is one of ours


class _Answering(ServerRequestHandler):
    """One connection."""

    def __init__(self, owner: FaultyServer) -> None:
        super().__init__(owner, owner.trace_packet, owner.trace_pdu, owner.trace_connect)  # type: ignore[no-untyped-call]
        self._fault = owner.fault

    def send(self, data: bytes, addr: tuple[Any, ...] | None = None) -> None:
        fault = self._fault()
        if fault == "resets":
            self.transport.get_extra_info("socket").setsockopt(SOL_SOCKET, SO_LINGER, struct.pack("ii", 1, 0))
            self.abort()
        elif fault in DELAYS_S:
            self.loop.call_later(DELAYS_S[fault], self._send, data)
        elif fault != "silent":
            self._send(answered(fault, data))

    def _send(self, data: bytes) -> None:
        if self.transport is not None:  # else it went meanwhile
            super().send(data)

    def abort(self) -> None:
        if self.transport is not None:
            self.transport.abort()  # type: ignore[attr-defined] # of TCP
