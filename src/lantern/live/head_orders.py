"""Heads that links send somewhere: one order at a time for each, by the core's machine, as a call in the head's duty."""

from __future__ import annotations

import asyncio
import math
from collections.abc import Callable, Mapping
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import func, select

from lantern.core.linking.one_at_a_time import OneAtATime
from lantern.core.linking.orders import Order, Standing
from lantern.core.ptz.pointing import towards
from lantern.core.ptz.turned import Pointing
from lantern.core.watch import Aim
from lantern.db.base import transaction
from lantern.live.duty import HeadDuty
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
        ordered = await asyncio.to_thread(_ordered)
        for device_id, duty in list(self._duties().items()):
            call = await asyncio.to_thread(_look, device_id, duty, self._clock()) if device_id in ordered else None
            duty.ordered(call)
        return EVERY_S if ordered else math.inf


def _ordered() -> set[int]:
    """Return the devices of which something is ordered that is not over."""
    with transaction() as session:
        is_open = select(OrderRow.device_id).where(OrderRow.do.in_(MOVING), OrderRow.stage != "over")
        return {found for found in session.scalars(is_open.distinct()) if found is not None}


def _look(device_id: int, duty: HeadDuty, at: datetime) -> tuple[str, int, Aim] | None:
    """Let it be `at` for the orders of one head. Returns who calls it now, with which rank, and where it is to look."""
    with transaction() as session:
        is_open = select(OrderRow).where(
            OrderRow.device_id == device_id, OrderRow.do.in_(MOVING), OrderRow.stage != "over"
        )
        session.execute(select(func.pg_advisory_xact_lock(LOCK, device_id)))
        rows = {row.id: row for row in session.scalars(is_open.order_by(OrderRow.id))}
        standings = {row.id: _standing(row, at) for row in rows.values()}
        for row in rows.values():
            if (why := _impossible(row, duty)) and standings[row.id].stage == "ordered":
                standings[row.id].end("dropped", why)
        if duty.by_hand:
            for standing in standings.values():
                if standing.stage == "running":
                    standing.end("cut", BY_HAND, 0.0)
                elif standing.stage == "ordered" and standing.order.at_s <= 0 and standing.order.when_busy != "wait":
                    standing.end("busy", BY_HAND)
        machine = OneAtATime(each for each in standings.values() if each.stage != "over")
        if not duty.by_hand:
            machine.advance(0.0)
        for key, row in rows.items():
            _keep(row, standings[key], at)
        running = machine.running
        if running is None or duty.by_hand:
            return None
        row = rows[running.order.key]
        aim = _aim(row.body, duty)
        return None if aim is None else (f"{row.link} {row.id}", RANK_OF_ALL - row.priority, aim)


def _standing(row: OrderRow, at: datetime) -> Standing:
    def seconds(instant: datetime | None) -> float | None:
        return None if instant is None else (instant - at).total_seconds()

    at_s, busy = (row.at - at).total_seconds(), row.body.get("when_busy", "drop")
    order = Order(row.id, row.thing, at_s, row.length_s, row.priority, row.expire_s, busy)
    return Standing(order, row.stage, seconds(row.from_at), seconds(row.to_at), row.result, row.because)  # type: ignore[arg-type]


def _keep(row: OrderRow, standing: Standing, at: datetime) -> None:
    def instant(seconds: float | None) -> datetime | None:
        return None if seconds is None else at + timedelta(seconds=seconds)

    if (row.stage, row.result) != (standing.stage, standing.result):
        row.stage, row.result, row.because = standing.stage, standing.result, standing.because
        row.from_at, row.to_at = instant(standing.from_s), instant(standing.to_s)


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
