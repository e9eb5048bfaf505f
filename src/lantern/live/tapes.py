"""The tapes of all live devices."""

from __future__ import annotations

import asyncio
from collections.abc import Mapping
from typing import Any

from lantern.core.faults import Fault, Refused
from lantern.live.tape import RecordingPlan, Tape


class Tapes:
    """One for each live device that gives samples."""

    def __init__(self) -> None:
        self._of: dict[int, Tape] = {}

    async def adopt(self, sizes: Mapping[int, tuple[int, int]], plans: Mapping[int, RecordingPlan]) -> None:
        """Those of the devices there are, `sizes` being of their pictures (0: not known); of one that is gone the recording ends."""
        for device_id, size in sizes.items():  # first: a sample of a new device may come as soon as anything waits
            tape = self._of.get(device_id)
            if tape is None:
                tape = self._of[device_id] = Tape(device_id, size if all(size) else None)
                tape.start()
            tape.adopt(plans.get(device_id, RecordingPlan()))
        for gone in self._of.keys() - sizes.keys():
            await self._of.pop(gone).stop()

    def of(self, device_id: int) -> Tape:
        """Raises `Refused` for a device that gives no samples, or does not run."""
        if device_id not in self._of:
            raise Refused([Fault("device", f"{device_id} gives nothing to record", "a live device that does")])
        return self._of[device_id]

    def try_again(self) -> None:
        for tape in self._of.values():
            tape.try_again()

    def tick(self) -> None:
        for tape in self._of.values():
            tape.tick()

    async def stop(self) -> None:
        await asyncio.gather(*(tape.stop() for tape in self._of.values()))

    def as_dict(self, device_id: int) -> dict[str, Any] | None:
        return self._of[device_id].as_dict() if device_id in self._of else None
