"""A head's duty, live: who has it is worked out from moment to moment, what it does by itself is sent, and each turn is kept."""

from __future__ import annotations

import asyncio
import time
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import TYPE_CHECKING, Any

import structlog

from lantern.core.linking.orders import DEFAULT_PRIORITY
from lantern.core.ptz.days import Site
from lantern.core.ptz.duty import RANK_OF_ALL, Dropped, Manual
from lantern.core.ptz.holder import Holder, OnNow
from lantern.core.ptz.rounds import Sheet, Step
from lantern.core.ptz.turned import Pointing
from lantern.core.watch import Aim, AnyWatch
from lantern.db.base import transaction
from lantern.duty.tables import holds_since, note_had
from lantern.live.tasks import end

if TYPE_CHECKING:
    from lantern.live.steering import SteeredHead

log = structlog.get_logger()
EVERY_S = 0.5
MOVED_DEG = 1.0  # at zoom 1; what moves less stays well in the picture
NEARER = 1.25  # of the zoom: so much nearer or farther it is told anew
CALLED_STILL_S = 1.5  # a detector that says nothing for so long calls no more
WORDS = {
    "manual": "by hand",
    "call": "called",
    "timetable": "by its hours",
    "idle": "idle",
    "none": "stands where it was",
}


@dataclass
class HeadDuty:
    """Of one head. Its clock is that of the world, in s, so that what is held by hand is known beyond a restart."""

    head: SteeredHead
    holder: Holder | None = None
    error: str = ""
    _told: tuple[str, str | None] | None = None
    _told_dropped: Dropped | None = None
    _called: dict[str, float] = field(default_factory=dict)
    _ordered: str | None = None  # by a link, and sent there
    _sent_there: Aim | None = None
    _held: list[Manual] = field(default_factory=list)  # by hand, as it was read last
    _task: asyncio.Task[None] | None = None

    def start(self) -> None:
        self._task = asyncio.create_task(self._run())

    async def stop(self) -> None:
        if self._task is not None:
            await end([self._task])

    def adopt(self, sheet: Sheet, is_on: OnNow) -> None:
        """Take over what it does by itself; where that is as it was, it goes on."""
        pointing = self.head.steered.pointing
        if pointing is None or not pointing.is_known:
            self.holder = None
            return
        if self.holder is None or self.holder.sheet != sheet:
            began = time.time() if self.holder is None else self.holder.began_s
            self.holder = Holder(sheet, _site(pointing), is_on, began)
        self.holder.is_on = is_on

    @property
    def by_hand(self) -> bool:
        """Return whether somebody holds it by hand now."""
        held = None if self.holder is None else self.holder.stretch
        return held is not None and held.by == "manual"

    def ordered(self, call: tuple[str, int, Aim] | None) -> None:
        """A link has it look somewhere, with a rank, or no link does any more; heard again and again while it lasts."""
        t, holder, before = time.time(), self.holder, self._ordered
        if before is not None and (call is None or call[0] != before):
            self._ordered, self._sent_there = None, None
            if holder is not None:
                holder.over(t, before)
        if call is None:
            return
        self._ordered, rank, aim = call
        if holder is None:  # nobody can know its duty
            self._send(aim)
            return
        holder.asks(t, self._ordered, rank)
        if not holder.lets(self._ordered):
            self._sent_there = None
            holder.now(t, self._held, self.head.looks)
        if holder.lets(self._ordered):
            self._send(aim)

    def _send(self, aim: Aim) -> None:
        """Once, and again where it is to look elsewhere by now: whoever is followed moves."""
        sent = self._sent_there
        if (
            sent is None
            or Pointing.apart_deg(sent[:2], aim[:2]) > MOVED_DEG / max(aim.zoom, 1.0)
            or not 1 / NEARER < aim.zoom / sent.zoom < NEARER
        ):
            self.head.want(aim)
            self._sent_there = aim

    def lets(self, watch: AnyWatch) -> bool:
        """Note whether a detector calls the head, and return whether it may move it."""
        holder, who, t = self.holder, watch.detector.name, time.time()
        if holder is None:
            return True  # nobody can know its duty: whoever asks is let
        if watch.calls():
            is_new = who not in self._called
            self._called[who] = t
            holder.asks(t, who, RANK_OF_ALL - DEFAULT_PRIORITY)
            if is_new:  # it does not wait for the next turn
                holder.now(t, self._held, self.head.looks)
            return holder.lets(who)
        if self._called.pop(who, None) is not None:
            holder.over(t, who)
            self._goes(holder.now(t, self._held, self.head.looks))
        held = holder.stretch
        return held is not None and held.by == "none"  # it may go home where nothing else has it

    async def _run(self) -> None:
        while True:
            try:
                await self._turn()
                self.error = ""
            except Exception as error:
                log.exception("the duty of a head cannot be worked out", device=self.head.steered.code)
                self.error = f"an error of the program, {type(error).__name__}: the log says more"
            await asyncio.sleep(EVERY_S)

    async def _turn(self) -> None:
        holder = self.holder
        if holder is None:
            return
        t = time.time()
        for who, at in list(self._called.items()):
            if t - at > CALLED_STILL_S:
                holder.over(t, who)
                del self._called[who]
        self._held = await asyncio.to_thread(self._manual, holder.sheet, t)
        self._goes(holder.now(time.time(), self._held, self.head.looks))
        await self._tell(holder, t)

    def _goes(self, step: Step | None) -> None:
        if step is not None:
            self.head.want(step.aim, step.share)

    def _manual(self, sheet: Sheet, t: float) -> list[Manual]:
        since = datetime.fromtimestamp(t, UTC) - timedelta(seconds=sheet.release_s + sheet.idle_after_s + 120)
        with transaction() as session:
            return [
                Manual(from_s=row.from_at.timestamp(), to_s=row.until_at.timestamp(), who=row.who, rank=row.rank)
                for row in holds_since(session, self.head.steered.id, since)
            ]

    async def _tell(self, holder: Holder, t: float) -> None:
        """Write who has it, once that changes, and a call that nothing came of."""
        held = holder.stretch
        assert held is not None
        if (held.by, held.do) != self._told:
            self._told = held.by, held.do
            await asyncio.to_thread(self._write, t, held.by, held.do or "", "")
        if holder.dropped is not None and holder.dropped != self._told_dropped:
            self._told_dropped = holder.dropped
            await asyncio.to_thread(self._write, t, "dropped", holder.dropped.dropped, holder.dropped.because)

    def _write(self, t: float, by: str, do: str, because: str) -> None:
        with transaction() as session:
            at = datetime.fromtimestamp(t, UTC)
            note_had(session, self.head.steered.id, at, by=by, do=do, because=because)

    def as_dict(self) -> dict[str, Any]:
        """Return it as the pages have it."""
        held = None if self.holder is None else self.holder.stretch
        if held is None:
            return {"by": "", "do": ""}
        return {"by": WORDS[held.by], "do": held.do or ""}


def _site(pointing: Pointing) -> Site:
    looks = {each.number: pointing.aim(each.pan, each.tilt, each.zoom) for each in pointing.turned.presets}
    return Site(pointing.head, next(iter(looks.values()), Aim(0.0, 0.0, 1.0)), looks)
