"""A relay module over Modbus TCP: write a coil and read it back; write the register that keeps its watchdog quiet."""

from __future__ import annotations

import asyncio
import struct
import time
from collections.abc import Awaitable, Callable, Sequence
from functools import partial
from typing import Any

from pymodbus.client import AsyncModbusTcpClient
from pymodbus.exceptions import ModbusException, ModbusIOException

from lantern.core.faults import LanternError
from lantern.devices.pace import Pace

MOST_BITS, MOST_REGISTERS = 2000, 125  # of one request: Modbus application protocol V1.1b3, from memory
ANSWERED_S, QUICK_S = 0.9, 0.5  # an answer that does not come for so long; one that comes at once
FAR = 16  # addresses that lie further apart are asked for one by one


EXCEPTIONS = {  # Modbus application protocol V1.1b3, section 7, from memory
    1: "illegal function", 2: "illegal data address", 3: "illegal data value", 4: "failure of the device",
    5: "acknowledged, not done yet", 6: "busy", 8: "memory parity error", 10: "gateway path unavailable",
    11: "the device behind the gateway does not answer",
}  # fmt: skip


class DeviceUnreachableError(LanternError):
    """The device did not answer, or answered with an error."""


class RelayModule:
    """A narrow port to one module; connects when first used and again after a failure."""

    def __init__(self, host: str, port: int, *, device_id: int = 1) -> None:
        self.host, self.port, self.device_id = host, port, device_id
        self._client: AsyncModbusTcpClient | None = None
        self.pace = Pace()

    @property
    def address(self) -> tuple[str, int, int]:
        """Host, port and unit id."""
        return self.host, self.port, self.device_id

    async def write_coil(self, coil: int, on: bool) -> bool:
        """Write a coil; returns what the module then says it is."""
        await self._asked(f"coil {coil}", lambda client: client.write_coil(coil, on, device_id=self.device_id))
        return (await self.read_coils(coil, 1))[0]

    async def read_coils(self, first: int, count: int) -> list[bool]:
        what = f"coils from {first}"
        answer = await self._asked(what, lambda client: client.read_coils(first, count=count, device_id=self.device_id))
        return [bool(bit) for bit in await self._whole(what, answer.bits, count)]

    async def read_discrete_inputs(self, addresses: Sequence[int]) -> dict[int, bool]:
        """Whether current flows in each, by address."""

        def ask(client: AsyncModbusTcpClient, first: int, count: int) -> Awaitable[Any]:
            return client.read_discrete_inputs(first, count=count, device_id=self.device_id)

        found = await self._read_all(addresses, MOST_BITS, "inputs", ask, lambda answer: answer.bits)
        return {address: bool(value) for address, value in found.items()}

    async def read_input_registers(self, addresses: Sequence[int]) -> dict[int, int]:
        """Return what each input register says, by address."""

        def ask(client: AsyncModbusTcpClient, first: int, count: int) -> Awaitable[Any]:
            return client.read_input_registers(first, count=count, device_id=self.device_id)

        found = await self._read_all(addresses, MOST_REGISTERS, "input registers", ask, lambda answer: answer.registers)
        return {address: int(value) for address, value in found.items()}

    async def _read_all(
        self,
        addresses: Sequence[int],
        most: int,
        what: str,
        ask: Callable[[AsyncModbusTcpClient, int, int], Awaitable[Any]],
        held: Callable[[Any], Sequence[Any]],
    ) -> dict[int, Any]:
        """Near addresses together, none of the requests larger than `most`."""
        out: dict[int, Any] = {}
        for first, count in _stretches(addresses, most):
            answer = await self._asked(f"{what} from {first}", partial(_asking, ask, first, count))
            out |= dict(enumerate(await self._whole(f"{what} from {first}", held(answer), count), first))
        return {address: out[address] for address in addresses}

    async def write_register(self, register: int, value: int) -> None:
        await self._asked(
            f"register {register}", lambda client: client.write_register(register, value, device_id=self.device_id)
        )

    async def _whole(self, what: str, told: Sequence[Any], count: int) -> Sequence[Any]:
        """What was asked for. Raises `DeviceUnreachableError` for an answer that holds less."""
        if len(told) < count:
            await self.close()
            raise DeviceUnreachableError(f"{what}: the module answered {len(told)} of {count}")
        return told[:count]

    async def _asked(self, what: str, ask: Callable[[AsyncModbusTcpClient], Awaitable[Any]]) -> Any:
        """The module's answer. Raises `DeviceUnreachableError`."""
        client = await self._connected()
        began = time.monotonic()
        try:
            answer = await self._answer(ask(client))
        except (ModbusException, OSError, TimeoutError) as error:
            await self.close()
            self.pace.lost()
            words = (
                f"no answer within {self.pace.waited_s:.1f} s" if isinstance(error, ModbusIOException) else str(error)
            )
            raise DeviceUnreachableError(f"{self.host}:{self.port}, {what}: {words}") from error
        except (
            IndexError,
            ValueError,
            AttributeError,
            TypeError,
            struct.error,
        ) as error:  # of a library that read noise
            await self.close()
            raise DeviceUnreachableError(f"{what}: the module answered what is no Modbus ({error})") from error
        self.pace.took(time.monotonic() - began)
        if answer.isError():
            code = getattr(answer, "exception_code", 0)
            said = EXCEPTIONS.get(code, "which the standard does not name")
            raise DeviceUnreachableError(f"{what}: the module answered with exception {code}, {said}")
        return answer

    async def _answer(self, asked: Awaitable[Any]) -> Any:
        """Wait for it. One that is waited for longer than usual is not waited for where the module answers others at once: it
        lost this one. Raises `TimeoutError`."""
        task = asyncio.ensure_future(asked)
        try:
            while not (await asyncio.wait({task}, timeout=ANSWERED_S))[0]:
                if await self._is_quick() and not task.done():  # it may have come while the other was asked
                    self.pace.begin_anew()
                    raise TimeoutError("it lost the request, and answers others")
            return await task
        finally:
            task.cancel()

    async def _is_quick(self) -> bool:
        """Return whether another connection is answered at once."""
        client = AsyncModbusTcpClient(self.host, port=self.port, timeout=QUICK_S, retries=0, reconnect_delay=0)
        try:
            if not await client.connect():
                return False
            await client.read_coils(0, count=1, device_id=self.device_id)
        except (
            ModbusException,
            OSError,
            TimeoutError,
            IndexError,
            ValueError,
            AttributeError,
            TypeError,
            struct.error,
        ):
            return False
        finally:
            client.close()
        return True

    async def close(self) -> None:
        if self._client is not None:
            self._client.close()
            self._client = None

    async def _connected(self) -> AsyncModbusTcpClient:
        if not self.host or not self.port:
            raise DeviceUnreachableError("It has no address yet: give its host and port on the device's page.")
        if self._client is None or not self._client.connected:
            limit_s = self.pace.limit_s
            client = AsyncModbusTcpClient(self.host, port=self.port, timeout=limit_s, retries=0, reconnect_delay=0)
            if not await client.connect():
                client.close()
                raise DeviceUnreachableError(f"{self.host}:{self.port} refuses the connection or does not answer")
            self._client = client
        return self._client


def _asking(
    ask: Callable[[AsyncModbusTcpClient, int, int], Awaitable[Any]],
    first: int,
    count: int,
    client: AsyncModbusTcpClient,
) -> Awaitable[Any]:
    """The client last, as whoever holds it gives it."""
    return ask(client, first, count)


def _stretches(addresses: Sequence[int], most: int) -> list[tuple[int, int]]:
    """(first, count) of the requests that read these addresses: near ones together, none larger than `most`."""
    out: list[tuple[int, int]] = []
    for address in sorted(set(addresses)):
        first, count = out[-1] if out else (address, 0)
        if out and address - (first + count - 1) <= FAR and address - first < most:
            out[-1] = first, address - first + 1
        else:
            out.append((address, 1))
    return out
