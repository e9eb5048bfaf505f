"""A relay module that speaks Modbus TCP: eight coils, which remember when they were switched. Can be cut off and come back."""

from __future__ import annotations

import time
from dataclasses import dataclass, field

from pymodbus.constants import ExcCodes
from pymodbus.server import ModbusTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice

COILS = 8
WRITE_CODES = (5, 15)  # write single coil, write multiple coils


@dataclass
class RelayStandIn:
    """Serves on loopback at `port`. `switched` holds (Unix time, coil, on) of every change."""

    port: int
    coils: list[bool] = field(default_factory=lambda: [False] * COILS)
    switched: list[tuple[float, int, bool]] = field(default_factory=list)
    _server: ModbusTcpServer | None = None

    @property
    def running(self) -> bool:
        return self._server is not None

    async def start(self) -> None:
        if self._server is not None:
            return
        bits = [SimData(0, values=list(self.coils) + [False] * (16 - COILS), datatype=DataType.BITS)]
        none = [SimData(0, values=0, datatype=DataType.REGISTERS)]
        device = SimDevice(
            1, simdata=(bits, [SimData(0, values=[False] * 16, datatype=DataType.BITS)], none, none), action=self._seen
        )
        server = ModbusTcpServer(device, address=("127.0.0.1", self.port))
        await server.serve_forever(background=True)
        self._server = server

    async def stop(self) -> None:
        """Cut the module off: the port closes, as with a pulled cable. Coils stay as they are."""
        if self._server is not None:
            await self._server.shutdown()  # type: ignore[no-untyped-call]
            self._server = None

    async def _seen(
        self, code: int, start: int, address: int, count: int, current: list[int], values: list[int] | list[bool] | None
    ) -> ExcCodes | None:
        if code in WRITE_CODES and values is not None:
            for offset, value in enumerate(values):
                coil = address + offset
                if coil >= COILS:
                    return ExcCodes.ILLEGAL_ADDRESS
                if self.coils[coil] != bool(value):
                    self.coils[coil] = bool(value)
                    self.switched.append((time.time(), coil, bool(value)))
        return None
