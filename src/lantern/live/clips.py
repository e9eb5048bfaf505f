"""Clips and stills that links order: a stretch of a device's tape, from before the event to after it, kept as a recording."""

from __future__ import annotations

import asyncio
import math
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

from sqlalchemy import select

from lantern.core.faults import Refused
from lantern.db.base import transaction
from lantern.live.tables import OrderRow
from lantern.live.tape import Tape
from lantern.live.tapes import Tapes
from lantern.live.woken import Woken

CLIP = "clip"
STILL_S = 0.5  # a still is what comes within so long
STORED_S = 3.0  # its last part may take so long to be stored
NOTHING = "Nothing came from it."


@dataclass(frozen=True)
class Due:
    """A clip that begins to be kept now, or whose end has passed."""

    id: int
    device_id: int
    link: str
    at: datetime
    before_s: float
    until: datetime
    ends: bool


class Clips(Woken):
    WHAT = "clips"

    def __init__(self, tapes: Tapes, clock: Callable[[], datetime]) -> None:
        super().__init__()
        self._tapes, self._clock = tapes, clock

    async def look(self) -> float:
        at = self._clock()
        due, next_s = await asyncio.to_thread(_look, at)
        for each in due:
            try:
                tape = self._tapes.of(each.device_id)
            except Refused as refused:
                await asyncio.to_thread(_over, each, "dropped", "; ".join(fault.what for fault in refused.faults))
                continue
            if each.ends:
                result, because = _became(tape, each)
                if because or at > each.until + timedelta(seconds=STORED_S):
                    await asyncio.to_thread(_over, each, result, because or NOTHING)
                else:
                    next_s = min(next_s, STORED_S / 10)
            else:
                late_s = (at - each.at).total_seconds()
                tape.clip(f"link {each.link}", back_s=each.before_s + late_s, until=each.until.timestamp())
                await asyncio.to_thread(_begun, each)
                next_s = min(next_s, (each.until - at).total_seconds())
        return next_s


def _became(tape: Tape, due: Due) -> tuple[Literal["done", "dropped"], str]:
    """Return what became of a clip whose end has passed, and why; no reason: nothing is known yet."""
    if tape.full:
        return "dropped", tape.full
    going = tape.newest
    if going is None or going.last < due.at.timestamp() or going.number is None:
        return "dropped", ""
    return "done", f"It is in recording {going.number}."


def _look(at: datetime) -> tuple[list[Due], float]:
    """Return what begins or ends now, and in how many seconds the next does. What is too late expires."""
    out, next_s = [], math.inf
    with transaction() as session:
        is_open = select(OrderRow).where(OrderRow.do == CLIP, OrderRow.stage != "over")
        for row in session.scalars(is_open.order_by(OrderRow.at, OrderRow.id)):
            still, before_s = row.body["still"], row.body["before_s"]
            until = row.at + timedelta(seconds=STILL_S if still else row.body["after_s"])
            ends = row.stage == "running"
            wait_s = ((until if ends else row.at) - at).total_seconds()
            if wait_s > 0:
                next_s = min(next_s, wait_s)
            elif not ends and -wait_s > row.expire_s:
                row.stage, row.result, row.because = "over", "expired", f"It came more than {row.expire_s:g} s late."
            elif row.device_id is not None:
                out.append(Due(row.id, row.device_id, row.link, row.at, 0.0 if still else before_s, until, ends))
    return out, next_s


def _begun(due: Due) -> None:
    with transaction() as session:
        row = session.get_one(OrderRow, due.id, with_for_update=True)
        row.stage, row.from_at = "running", due.at - timedelta(seconds=due.before_s)


def _over(due: Due, result: Literal["done", "dropped"], because: str) -> None:
    with transaction() as session:
        row = session.get_one(OrderRow, due.id, with_for_update=True)
        row.stage, row.result, row.because = "over", result, because
        if result == "done":
            row.to_at = due.until
