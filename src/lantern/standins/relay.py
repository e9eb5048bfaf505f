"""A relay module that speaks Modbus TCP: eight coils, which remember when they were switched, eight contacts that somebody
closes and opens, eight loops with resistors in them, and a watchdog.

Can be cut off and come back. The watchdog is a holding register: whoever writes a number there has that many tenths of a second
to write it again; else all coils drop. 0, as at the start: nobody is watched.
"""

from __future__ import annotations

import asyncio
import time
from dataclasses import dataclass, field

from pymodbus.constants import ExcCodes
from pymodbus.simulator import DataType, SimData, SimDevice

from lantern.standins.faults import FAULTS, FLIP_S, FaultyServer

COILS = 8
READ_COILS, WRITE_COILS = 1, (5, 15)  # function codes: one coil, several
READ_CONTACTS, READ_LOOPS = 2, 4
FULL_SCALE = 1000  # what a loop's register says for a ratio of 1
WRITE_REGISTERS = (6, 16)
WATCHDOG_REGISTER, WATCHDOG_UNIT_S = 100, 0.1
REGISTERS = 128


@dataclass
class RelayStandIn:
    """Serves on loopback at `port`. `switched` holds (Unix time, coil, on) of every change."""

    port: int
    coils: list[bool] = field(default_factory=lambda: [False] * COILS)
    contacts: list[bool] = field(default_factory=lambda: [False] * COILS)  # discrete inputs 0 to 7
    loops: list[int] = field(default_factory=lambda: [FULL_SCALE // 2] * COILS)  # input registers 0 to 7
    switched: list[tuple[float, int, bool]] = field(default_factory=list)
    fault: str = ""  # that is played, one of `standins/faults.py`
    _server: FaultyServer | None = None
    _watchdog: asyncio.TimerHandle | None = None

    @property
    def running(self) -> bool:
        return self._server is not None

    async def start(self) -> None:
        if self._server is not None:
            return
        bits = [SimData(0, values=list(self.coils) + [False] * (16 - COILS), datatype=DataType.BITS)]
        inputs = [SimData(0, values=[False] * 16, datatype=DataType.BITS)]
        holding = [SimData(0, values=[0] * REGISTERS, datatype=DataType.REGISTERS)]
        loops = [SimData(0, values=list(self.loops), datatype=DataType.REGISTERS)]
        device = SimDevice(1, simdata=(bits, inputs, holding, loops), action=self._seen)
        server = FaultyServer(device, self.port, lambda: self.fault)
        await server.serve_forever(background=True)
        self._server = server

    async def stop(self) -> None:
        """Cut the module off: the port closes, as with a pulled cable. Coils stay as they are."""
        if self._server is not None:
            self._server.cut()
            await self._server.shutdown()  # type: ignore[no-untyped-call]
            self._server = None

    async def _seen(
        self, code: int, start: int, address: int, count: int, current: list[int], values: list[int] | list[bool] | None
    ) -> ExcCodes | None:
        if code in WRITE_COILS and values is not None:
            if address + len(values) > COILS:
                return ExcCodes.ILLEGAL_ADDRESS
            for offset, value in enumerate(values):
                self._write(address + offset, bool(value))
        elif code == READ_COILS:
            current[0] = sum(on << coil for coil, on in enumerate(self.coils))
        elif code == READ_CONTACTS:
            current[0] = sum(closed << n for n, closed in enumerate(self.contacts))
        elif code == READ_LOOPS:
            current[: len(self.loops)] = self.loops
        elif code in WRITE_REGISTERS and values is not None and address <= WATCHDOG_REGISTER < address + len(values):
            self._watch(int(values[WATCHDOG_REGISTER - address]) * WATCHDOG_UNIT_S)
        return None

    def play(self, fault: str) -> None:
        """Do so from now on; "" is well again. What hung on the wire is let go, as where somebody has mended it."""
        if fault and fault not in FAULTS:
            raise KeyError(fault)
        self.fault = fault
        if self._server is not None:
            self._server.cut()

    def _write(self, coil: int, on: bool) -> None:
        if self.fault == "stuck":
            return
        was = self.coils[coil]
        self._switch(coil, on)
        if self.fault == "flips" and was != on:
            asyncio.get_running_loop().call_later(FLIP_S, self._switch, coil, was)

    def _switch(self, coil: int, on: bool) -> None:
        if self.coils[coil] != on:
            self.coils[coil] = on
            self.switched.append((time.time(), coil, on))

    def _watch(self, timeout_s: float) -> None:
        """Begin to count anew."""
        if self._watchdog is not None:
            self._watchdog.cancel()
        self._watchdog = asyncio.get_running_loop().call_later(timeout_s, self._drop) if timeout_s else None

    def _drop(self) -> None:
        """Nobody has written for too long: all coils go."""
        for coil in range(COILS):
            self._switch(coil, False)
