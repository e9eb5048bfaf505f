"""The relay stand-in's watchdog, seen through another client."""

from __future__ import annotations

import asyncio

from pymodbus.client import AsyncModbusTcpClient

from lantern.cluster import free_port
from lantern.standins.relay import WATCHDOG_REGISTER, RelayStandIn
from loops import in_a_loop


def test_coils_drop_once_nobody_writes_the_register_any_more() -> None:
    async def run() -> list[list[bool]]:
        relay, seen = RelayStandIn(free_port()), []
        await relay.start()
        async with AsyncModbusTcpClient("127.0.0.1", port=relay.port) as client:

            async def look() -> None:
                seen.append((await client.read_coils(0, count=2, device_id=1)).bits[:2])

            await client.write_coils(0, [True, True], device_id=1)
            await asyncio.sleep(0.5)
            await look()  # nobody is watched yet
            for _ in range(4):
                await client.write_register(WATCHDOG_REGISTER, 20, device_id=1)  # two seconds
                await asyncio.sleep(0.2)
            await look()
            await asyncio.sleep(2.2)
            await look()
            await client.write_coil(0, True, device_id=1)
            await client.write_register(WATCHDOG_REGISTER, 0, device_id=1)
            await asyncio.sleep(0.6)
            await look()
        await relay.stop()
        return seen

    assert in_a_loop(run) == [[True, True], [True, True], [False, False], [True, False]]
