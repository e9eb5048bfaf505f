"""A relay module over Modbus TCP: write a coil and read it back; write the register that keeps its watchdog quiet."""

from __future__ import annotations

from collections.abc import Awaitable, Callable, Sequence
from functools import partial
from typing import Any

from pymodbus.client import AsyncModbusTcpClient
from pymodbus.exceptions import ModbusException

from lantern.core.faults import LanternError

TIMEOUT_S = 1.5
MOST_BITS, MOST_REGISTERS = 2000, 125  # of one request: Modbus application protocol V1.1b3, from memory
FAR = 16  # addresses that lie further apart are asked for one by one


class DeviceUnreachableError(LanternError):
    """The device did not answer, or answered with an error."""


class RelayModule:
    """A narrow port to one module; connects when first used and again after a failure."""

    def __init__(self, host: str, port: int, *, device_id: int = 1) -> None:
        self.host, self.port, self.device_id = host, port, device_id
        self._client: AsyncModbusTcpClient | None = None

    @property
    def address(self) -> tuple[str, int, int]:
        """Host, port and unit id."""
        return self.host, self.port, self.device_id

    async def write_coil(self, coil: int, on: bool) -> bool:
        """Write a coil; returns what the module then says it is."""
        await self._asked(f"coil {coil}", lambda client: client.write_coil(coil, on, device_id=self.device_id))
        return (await self.read_coils(coil, 1))[0]

    async def read_coils(self, first: int, count: int) -> list[bool]:
        answer = await self._asked(
            f"coils from {first}", lambda client: client.read_coils(first, count=count, device_id=self.device_id)
        )
        return [bool(bit) for bit in answer.bits[:count]]

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
            out |= dict(enumerate(held(answer)[:count], first))
        return {address: out[address] for address in addresses}

    async def write_register(self, register: int, value: int) -> None:
        await self._asked(
            f"register {register}", lambda client: client.write_register(register, value, device_id=self.device_id)
        )

    async def _asked(self, what: str, ask: Callable[[AsyncModbusTcpClient], Awaitable[Any]]) -> Any:
        """The module's answer. Raises `DeviceUnreachableError`."""
        try:
            answer = await ask(await self._connected())
        except (ModbusException, OSError, TimeoutError) as error:
            await self.close()
            raise DeviceUnreachableError(f"{self.host}:{self.port}: {error}") from error
        if answer.isError():
            raise DeviceUnreachableError(f"{what}: the module answered {answer}")
        return answer

    async def close(self) -> None:
        if self._client is not None:
            self._client.close()
            self._client = None

    async def _connected(self) -> AsyncModbusTcpClient:
        if not self.host or not self.port:
            raise DeviceUnreachableError("It has no address yet: give its host and port on the device's page.")
        if self._client is None or not self._client.connected:
            client = AsyncModbusTcpClient(self.host, port=self.port, timeout=TIMEOUT_S, retries=0, reconnect_delay=0)
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
