"""A relay module over Modbus TCP: write a coil, read it back."""

from __future__ import annotations

from pymodbus.client import AsyncModbusTcpClient
from pymodbus.exceptions import ModbusException

from lantern.core.faults import LanternError

TIMEOUT_S = 1.5


class DeviceUnreachableError(LanternError):
    """The device did not answer, or answered with an error."""


class RelayModule:
    """A narrow port to one module; connects when first used and again after a failure."""

    def __init__(self, host: str, port: int, *, device_id: int = 1) -> None:
        self.host, self.port, self.device_id = host, port, device_id
        self._client: AsyncModbusTcpClient | None = None

    async def write_coil(self, coil: int, on: bool) -> bool:
        """Write a coil and give what the module then says it is."""
        try:
            client = await self._connected()
            answer = await client.write_coil(coil, on, device_id=self.device_id)
            if answer.isError():
                raise DeviceUnreachableError(f"coil {coil}: the module answered {answer}")
            return (await self.read_coils(coil, 1))[0]
        except (ModbusException, OSError, TimeoutError) as error:
            await self.close()
            raise DeviceUnreachableError(f"{self.host}:{self.port}: {error}") from error

    async def read_coils(self, first: int, count: int) -> list[bool]:
        try:
            client = await self._connected()
            answer = await client.read_coils(first, count=count, device_id=self.device_id)
        except (ModbusException, OSError, TimeoutError) as error:
            await self.close()
            raise DeviceUnreachableError(f"{self.host}:{self.port}: {error}") from error
        if answer.isError():
            raise DeviceUnreachableError(f"coils from {first}: the module answered {answer}")
        return [bool(bit) for bit in answer.bits[:count]]

    async def close(self) -> None:
        if self._client is not None:
            self._client.close()
            self._client = None

    async def _connected(self) -> AsyncModbusTcpClient:
        if self._client is None or not self._client.connected:
            client = AsyncModbusTcpClient(self.host, port=self.port, timeout=TIMEOUT_S, retries=0, reconnect_delay=0)
            if not await client.connect():
                client.close()
                raise DeviceUnreachableError(f"{self.host}:{self.port} refuses the connection or does not answer")
            self._client = client
        return self._client
