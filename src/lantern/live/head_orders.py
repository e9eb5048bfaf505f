"""Heads that links send somewhere: one order at a time for each, by the core's machine, as a call in the head's duty."""

from __future__ import annotations

import asyncio
import math
import time
from collections import defaultdict
from collections.abc import Callable, Collection, Mapping
from datetime import datetime
from typing import Any

from sqlalchemy.orm import object_session

from lantern.core.ptz.duty import RANK_OF_ALL
from lantern.core.ptz.pointing import aimed, towards
from lantern.core.ptz.turned import Pointing
from lantern.core.watch import Aim
from lantern.live.duty import HeadDuty
from lantern.live.stepped import opened, ordered
from lantern.live.tables import EventRow, OrderRow
from lantern.live.whereabouts import Place, Whereabouts
from lantern.live.woken import Woken
from lantern.tune.tables import DetectorRow

MOVING, FOLLOWING = ("go_to", "follow"), "follow"
TALL_M, SHARE = 1.8, 0.3  # of whom it follows: so much of the picture's height; common practice, no source
GONE_S = 5.0  # somebody who is not seen for so long is followed no more; common practice, no source
LOCK = 0x0D0C  # of the orders of heads, among the database's advisory locks
EVERY_S = 0.25
BY_HAND = "It was moved by hand."
NOT_REGISTERED = "The head is not registered to the plan."
NOBODY = "Nobody knows where whoever raised is."
GONE = "Whom it followed is not seen any more."


class HeadOrders(Woken):
    """Of all heads. `duties`: by device, as they are at that moment; `whereabouts`: of those who are followed."""

    WHAT = "heads"

    def __init__(
        self, duties: Callable[[], Mapping[int, HeadDuty]], whereabouts: Whereabouts, clock: Callable[[], datetime]
    ) -> None:
        super().__init__()
        self._duties, self._clock = duties, clock
        self._wanted: defaultdict[int, Wanted] = defaultdict(lambda: Wanted(whereabouts))  # by device

    async def look(self) -> float:
        """Step the orders of every head that has some: while one does, a hand may take it at any moment."""
        wanted = await asyncio.to_thread(ordered, MOVING)
        for device_id, duty in list(self._duties().items()):
            call = (
                await asyncio.to_thread(_look, device_id, duty, self._wanted[device_id], self._clock())
                if device_id in wanted
                else None
            )
            duty.ordered(call)
        return EVERY_S if wanted else math.inf


class Wanted:
    """Where orders want one head to look, one thread at a time: at a preset, at a place, or at whoever raised, wherever that is by now."""

    def __init__(self, whereabouts: Whereabouts) -> None:
        self._whereabouts = whereabouts
        self._seen: dict[
            int, tuple[float, Aim | None]
        ] = {}  # by order: when somebody was seen last, or looked for first; and where

    def aim(self, row: OrderRow, pointing: Pointing) -> Aim | None:
        """Return it; None: it cannot be known."""
        if row.do != FOLLOWING:
            return _aim(row.body, pointing)
        place = self._place(row)
        if place is not None:
            self._seen[row.id] = time.monotonic(), _zoomed(pointing, place)
        return self._seen.setdefault(row.id, (time.monotonic(), None))[1]

    def is_gone(self, row: OrderRow) -> bool:
        """Return whether whom it follows was not seen for long. A region does not go away."""
        at, _ = self._seen.get(row.id, (math.inf, None))
        return row.do == FOLLOWING and time.monotonic() - at > GONE_S

    def forget(self, others: Collection[int]) -> None:
        """Only these orders are open."""
        self._seen = {key: seen for key, seen in self._seen.items() if key in others}

    def _place(self, row: OrderRow) -> Place | None:
        """Where the event's object is, or the middle of its region where it has none."""
        session = object_session(row)
        event = None if session is None else session.get(EventRow, row.event_id)
        detector = None if session is None or event is None else session.get(DetectorRow, event.detector_id or 0)
        if event is None or detector is None:
            return None  # an input's, or a compound's: nobody knows whom
        if event.object is not None:
            return self._whereabouts.of(detector.device_id, event.object)
        region = next((each for each in detector.model.regions if each.name == event.region), None)
        if region is None:
            return None
        xs, ys = zip(*region.points, strict=True)
        return self._whereabouts.beneath(detector.device_id, (sum(xs) / len(xs), sum(ys) / len(ys)))


def _zoomed(pointing: Pointing, place: Place) -> Aim:
    """Return how the head looks at somebody who stands there: as large in the picture as is usual."""
    found = aimed(pointing.head, (*place, TALL_M / 2), height_m=TALL_M, share=SHARE)
    return Aim(found["pan_deg"], found["tilt_deg"], found["zoom"])


def _look(device_id: int, duty: HeadDuty, wanted: Wanted, at: datetime) -> tuple[str, int, Aim] | None:
    """Let it be `at` for the orders of one head. Returns who calls it now, with which rank, and where it is to look."""
    with opened(device_id, MOVING, LOCK, at) as held:
        pointing = duty.head.steered.pointing
        if pointing is None or not pointing.is_known:
            held.refuse(lambda row: NOT_REGISTERED)
            return None
        held.refuse(lambda row: "" if row.at > at or wanted.aim(row, pointing) is not None else _impossible(row))
        wanted.forget(held.rows)
        if duty.by_hand:
            for standing in held.standings.values():
                if standing.stage == "running":
                    standing.end("cut", BY_HAND, 0.0)
                elif standing.stage == "ordered" and standing.order.at_s <= 0 and standing.order.when_busy != "wait":
                    standing.end("busy", BY_HAND)
            return None
        row = held.advance()
        if row is not None and wanted.is_gone(row):
            held.standings[row.id].end("done", GONE, 0.0)
            row = held.advance()
        aim = None if row is None else wanted.aim(row, pointing)
        if row is None or aim is None:
            return None
        return f"{row.link} {row.id}", RANK_OF_ALL - row.priority, aim


def _impossible(row: OrderRow) -> str:
    """Return why it cannot be done at all."""
    return NOBODY if row.do == FOLLOWING else "The head has no such preset."


def _aim(body: Mapping[str, Any], pointing: Pointing) -> Aim | None:
    if body.get("at") is not None:
        x, y, z = body["at"]
        return Aim(*towards(pointing.head, (x, y, z)), 1.0)
    wanted = body.get("preset")
    for each in pointing.turned.presets:
        if wanted in (each.number, str(each.number), each.name, each.token):
            return pointing.aim(each.pan, each.tilt, each.zoom)
    return None
