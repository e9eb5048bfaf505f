"""Heads that are told where to look: the newest command counts, and each is asked where it looks."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

import structlog

from lantern.core.faults import LanternError
from lantern.core.logic.timetable import Timetable
from lantern.core.ptz.holder import OnNow
from lantern.core.ptz.rounds import Sheet
from lantern.core.watch import Aim, AnyWatch
from lantern.db.base import transaction
from lantern.devices.onvif.ptz import Ptz
from lantern.links.tables import timetables_of_everywhere
from lantern.live.arriving import Arriving
from lantern.live.duty import HeadDuty
from lantern.live.hiding import AtDevice
from lantern.live.looked import Looked
from lantern.live.tasks import end
from lantern.register.heads import Steered, edged, is_steered, sheet_of, spoken_to, steered_of
from lantern.register.tables import DeviceRow

log = structlog.get_logger()
ASKED_EVERY_S, TURNING_EVERY_S = 1.0, 0.25  # where it looks, while nothing is wanted of it; and while it turns
TIMEOUT_S = 2.0  # with the pause between, one that is lost is told within 5 s
AGAIN_S = 2.0  # one that is lost is asked again


@dataclass
class SteeredHead:
    """One head, in a task of its own. `looks`: where it looked when it was asked last, of the site; None: it is not registered."""

    steered: Steered
    looks: Aim | None = None
    error: str = "not asked yet"
    sent: int = 0
    last_at: float = 0.0
    delays_ms: list[float] = field(default_factory=list)
    _wanted: tuple[Aim, float] | None = None
    _wanted_at: float = 0.0
    _wake: asyncio.Event = field(default_factory=asyncio.Event)
    _task: asyncio.Task[None] | None = None
    _head: Ptz | None = None
    _masks: AtDevice = field(init=False)
    _arriving: Arriving = field(init=False)
    _looked: Looked = field(init=False)
    _turns: bool = False

    def __post_init__(self) -> None:
        pointing = self.steered.pointing
        self._masks = AtDevice(() if pointing is None else pointing.turned.masks)
        self._arriving = Arriving(pointing)
        self._looked = Looked(self.steered.id)

    def start(self) -> None:
        self._task = asyncio.create_task(self._run())

    async def stop(self) -> None:
        if self._task is not None:
            await end([self._task])

    def want(self, aim: Aim, share: float = 1.0) -> None:
        """Look there, going at that share of its greatest speed; what was wanted before and has not been sent is forgotten."""
        self._wanted, self._wanted_at = (aim, share), time.perf_counter()
        self._wake.set()

    async def _run(self) -> None:
        while True:
            pause_s = AGAIN_S
            try:
                await asyncio.to_thread(self._turn)
                self.error = ""
                pause_s = TURNING_EVERY_S if self._turns else ASKED_EVERY_S
            except LanternError as error:
                if not self.error:
                    log.warning("a head is lost", device=self.steered.code, error=str(error))
                self.error, self._head = str(error), None
            except Exception as error:
                log.exception("a head cannot be steered", device=self.steered.code)
                self.error, self._head = f"an error of the program, {type(error).__name__}: the log says more", None
            try:
                async with asyncio.timeout(pause_s):
                    await self._wake.wait()
            except TimeoutError:
                pass  # nothing is wanted: it is asked where it looks
            self._wake.clear()

    def _turn(self) -> None:
        """Send what is wanted, and ask where it looks; by one thread at a time."""
        try:
            self._spoken()
        except Exception:
            self._looked.note(time.time(), None)
            raise

    def _spoken(self) -> None:
        if self._head is None:
            self._head = spoken_to(self.steered, TIMEOUT_S)
            self._head.clock()
            self._masks.forget()
        pointing = self.steered.pointing
        wanted, self._wanted = self._wanted, None
        if wanted is not None and pointing is not None and pointing.is_known:
            aim, share = wanted
            pan, tilt, zoom = pointing.own(aim)
            self._masks.switch(
                self._head, max(aim.zoom, self.looks.zoom if self.looks is not None else 1.0), rests=False
            )
            self._head.absolute(edged(pan), edged(tilt), zoom, share=share)
            self.sent += 1
            self.delays_ms = [*self.delays_ms[-199:], (time.perf_counter() - self._wanted_at) * 1000]
        position = self._head.status()
        self.last_at, self._turns = time.time(), wanted is not None or position.moving
        if pointing is not None and pointing.is_known:
            self.looks = pointing.aim(position.pan, position.tilt, position.zoom)
            self._looked.note(self.last_at, self.looks)
            zoom_now = self.looks.zoom if pointing.curve is not None else None
            rests = wanted is None and not position.moving
            self._masks.switch(self._head, zoom_now, rests=rests)
            self._arriving.looks(self._head, self.looks, rests=rests)

    @property
    def silent(self) -> str:
        """Return why it cannot be steered; empty: it can."""
        return self.error or self._unknown

    def as_dict(self) -> dict[str, Any]:
        """Return it as the pages have it."""
        return {"error": self.silent, "sent": self.sent, "aim": self.looks and list(self.looks)}

    @property
    def _unknown(self) -> str:
        pointing = self.steered.pointing
        if pointing is None:
            return "it stands nowhere on the plan"
        return "" if pointing.is_known else "it is not registered: its own units are not known in degrees"


class Steering:
    """The heads of all sites, by device, and the duty of each: all that moves one goes through it."""

    def __init__(self) -> None:
        self.heads: dict[int, SteeredHead] = {}
        self.duties: dict[int, HeadDuty] = {}

    async def adopt(self, devices: Sequence[DeviceRow]) -> None:
        """Take up those there are; one that is reached another way, or registered anew, begins anew."""
        wanted = [row.id for row in devices if is_steered(row) and row.address.get("url")]
        known, sheets = await asyncio.to_thread(_known, wanted)
        for gone in [key for key, head in self.heads.items() if known.get(key) != head.steered]:
            await self.heads.pop(gone).stop()
            await self.duties.pop(gone).stop()
        for key, steered in known.items():
            if key not in self.heads:
                self.heads[key] = SteeredHead(steered)
                self.heads[key].start()
                self.duties[key] = HeadDuty(self.heads[key])
                self.duties[key].start()
            self.duties[key].adopt(*sheets[key])

    async def stop(self) -> None:
        for duty in self.duties.values():
            await duty.stop()
        for head in self.heads.values():
            await head.stop()
        self.duties.clear()
        self.heads.clear()

    def follow(self, device_id: int, watch: AnyWatch) -> None:
        """Tell a detector where its head looks; and the head where the detector wants it to look, while it is the detector's."""
        head, duty = self.heads.get(device_id), self.duties.get(device_id)
        wanted = watch.wanted()
        if head is None or duty is None:
            return
        if head.looks is not None:
            watch.looks(head.looks)
        if duty.lets(watch) and wanted is not None:
            head.want(wanted)

    def as_dict(self, device_id: int) -> dict[str, Any] | None:
        head = self.heads.get(device_id)
        return None if head is None else head.as_dict() | self.duties[device_id].as_dict()


Sheets = Mapping[int, tuple[Sheet, OnNow]]


def _known(ids: Sequence[int]) -> tuple[Mapping[int, Steered], Sheets]:
    out, sheets = {}, {}
    with transaction() as session:
        everywhere = timetables_of_everywhere(session)
        for key in ids:
            row = session.get(DeviceRow, key)
            if row is None:
                continue
            try:
                out[key], sheets[key] = steered_of(session, row), (sheet_of(row), _on_now(row.site_id, everywhere))
            except LanternError as error:
                out.pop(key, None)
                log.error("a head cannot be taken up", device=row.code, error=str(error))
    return out, sheets


def _on_now(site_id: int, timetables: Mapping[tuple[int, str], Timetable]) -> OnNow:
    """Return whether a timetable of a site is on, by seconds of the clock; one that is not there never is."""

    def is_on(name: str, t: float) -> bool:
        found = timetables.get((site_id, name))
        return found is not None and found.is_active(datetime.fromtimestamp(t, UTC))

    return is_on
