"""Heads that links send somewhere: one order at a time for each, by the core's machine, as a call in the head's duty."""

from __future__ import annotations

import asyncio
import math
from collections.abc import Callable, Mapping
from datetime import datetime
from typing import Any

from lantern.core.ptz.pointing import towards
from lantern.core.ptz.turned import Pointing
from lantern.core.watch import Aim
from lantern.live.duty import HeadDuty
from lantern.live.stepped import opened, ordered
from lantern.live.tables import OrderRow
from lantern.live.woken import Woken

MOVING = ("go_to",)
LOCK = 0x0D0C  # of the orders of heads, among the database's advisory locks
EVERY_S = 0.25
RANK_OF_ALL = 11  # less its priority
BY_HAND = "It was moved by hand."


class HeadOrders(Woken):
    """Of all heads. `duties`: by device, as they are at that moment."""

    WHAT = "heads"

    def __init__(self, duties: Callable[[], Mapping[int, HeadDuty]], clock: Callable[[], datetime]) -> None:
        super().__init__()
        self._duties, self._clock = duties, clock

    async def look(self) -> float:
        """Step the orders of every head that has some: while one does, a hand may take it at any moment."""
        wanted = await asyncio.to_thread(ordered, MOVING)
        for device_id, duty in list(self._duties().items()):
            call = await asyncio.to_thread(_look, device_id, duty, self._clock()) if device_id in wanted else None
            duty.ordered(call)
        return EVERY_S if wanted else math.inf


def _look(device_id: int, duty: HeadDuty, at: datetime) -> tuple[str, int, Aim] | None:
    """Let it be `at` for the orders of one head. Returns who calls it now, with which rank, and where it is to look."""
    with opened(device_id, MOVING, LOCK, at) as held:
        held.refuse(lambda row: _impossible(row, duty))
        if duty.by_hand:
            for standing in held.standings.values():
                if standing.stage == "running":
                    standing.end("cut", BY_HAND, 0.0)
                elif standing.stage == "ordered" and standing.order.at_s <= 0 and standing.order.when_busy != "wait":
                    standing.end("busy", BY_HAND)
            return None
        row = held.advance()
        aim = None if row is None else _aim(row.body, duty)
        if row is None or aim is None:
            return None
        return f"{row.link} {row.id}", RANK_OF_ALL - row.priority, aim


def _impossible(row: OrderRow, duty: HeadDuty) -> str:
    """Return why it cannot be done at all; empty: it can."""
    return "" if _aim(row.body, duty) is not None else "The head has no such preset, or is not registered to the plan."


def _aim(body: Mapping[str, Any], duty: HeadDuty) -> Aim | None:
    pointing: Pointing | None = duty.head.steered.pointing
    if pointing is None or not pointing.is_known:
        return None
    if body.get("at") is not None:
        x, y, z = body["at"]
        return Aim(*towards(pointing.head, (x, y, z)), 1.0)
    wanted = body.get("preset")
    for each in pointing.turned.presets:
        if wanted in (each.number, str(each.number), each.name, each.token):
            return pointing.aim(each.pan, each.tilt, each.zoom)
    return None
