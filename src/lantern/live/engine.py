"""The live engine: frames in, decisions stepped, events stored with their effects, effects delivered, everything told."""

from __future__ import annotations

import asyncio
import time
from collections.abc import AsyncIterator, Sequence
from datetime import UTC, datetime
from typing import Any

import structlog
from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, LanternError, Refused
from lantern.core.kinds import TrackKind, kind_of
from lantern.core.objects.following import Seen
from lantern.db.base import transaction
from lantern.devices.metadata import metadata
from lantern.formats.wire import FrameHeader
from lantern.links.tables import armed_links
from lantern.live.delivery import Delivery
from lantern.live.feeds import Feed, FrameFeed, ObjectFeed
from lantern.live.objects import ObjectWatch
from lantern.live.readings import ReadingWatch
from lantern.live.recorder import Happening, close_open_events, forget_inside, record, remembered
from lantern.live.tables import DeviceStateRow
from lantern.live.tasks import end
from lantern.live.watch import Watch
from lantern.survey.tables import DeviceRow
from lantern.tune.tables import DetectorRow

log = structlog.get_logger()
RELOAD_S = 1.0
BEAT_S = 2.0
TELL_S = 0.2
LISTEN_AGAIN_S = 1.0


class Engine:
    """One a site. All state lives in the event loop's thread; the store is used from worker threads."""

    def __init__(self) -> None:
        self.feeds: dict[str, Feed] = {}
        self.listeners: dict[str, asyncio.Task[None]] = {}  # of devices that are listened to, by code
        self.tokens: dict[str, str] = {}
        self.watches: dict[int, list[Watch]] = {}  # by device
        self.delivery = Delivery(self.tell)
        self.news: list[dict[str, Any]] = []
        self._signature: Any = None
        self._changed = asyncio.Condition()
        self._tasks: list[asyncio.Task[None]] = []
        self._version = 0

    async def start(self) -> None:
        await self.reload()
        self._tasks = [
            asyncio.create_task(self._every(RELOAD_S, self.reload)),
            asyncio.create_task(self._every(BEAT_S, self.beat)),
        ]

    async def stop(self) -> None:
        await end([*self._tasks, *self.listeners.values()])
        await self.delivery.stop()

    # ---- frames ----

    async def take(self, code: str, header: FrameHeader, pixels: Any) -> None:
        """One frame of one device through all its detectors; returns when what it caused is stored."""
        feed = self.feeds[code]
        assert isinstance(feed, FrameFeed)
        began = time.perf_counter()
        last = feed.header
        if last is not None and header.t <= last.t and header.seq < last.seq:
            for watch in self.watches.get(feed.device_id, []):  # the device started anew: its clock may stand anywhere
                watch.shift(header.t - last.t)
            feed.restart()
        if not feed.accept(header, pixels):
            return
        for watch in self.watches.get(feed.device_id, []):
            if not isinstance(watch, ReadingWatch):
                continue
            try:
                happenings = watch.take(header, pixels, feed.interval_s)
                watch.error = ""
            except LanternError as error:
                watch.error = str(error)
                continue
            for happening in happenings:
                await self._store(watch, happening)
        feed.waits_ms.append((time.perf_counter() - began) * 1000)
        self.tell()

    async def take_objects(self, code: str, t: float, seen: Sequence[Seen]) -> None:
        """One frame of one device that sends objects; returns when what it caused is stored."""
        feed = self.feeds[code]
        assert isinstance(feed, ObjectFeed)
        began = time.perf_counter()
        if feed.t is not None and t < feed.t - feed.interval_s:  # the device started anew
            for watch in self.watches.get(feed.device_id, []):
                watch.shift(t - feed.t)
            feed.t = None
        if not feed.accept(t, seen):
            return
        for watch in self.watches.get(feed.device_id, []):
            if isinstance(watch, ObjectWatch):
                for happening in watch.take(t, seen):
                    await self._store(watch, happening)
        feed.waits_ms.append((time.perf_counter() - began) * 1000)
        self.tell()

    async def _listen(self, feed: ObjectFeed, url: str) -> None:
        """Follow a device's metadata for as long as it is there; try again when it is not."""
        while True:
            try:
                async for t, seen in metadata(url, *feed.frame_px):
                    feed.error = ""
                    await self.take_objects(feed.code, t, seen)
                feed.error = "the device ended its stream"
            except LanternError as error:
                feed.error = str(error)
            await asyncio.sleep(LISTEN_AGAIN_S)

    async def empty(self, detector_id: int) -> int:
        """Set a count's occupancy to nobody. Refused while anybody is in view: they would be counted out again."""
        watch = next((w for each in self.watches.values() for w in each if w.detector_id == detector_id), None)
        if not isinstance(watch, ObjectWatch) or watch.kind.name != "count":
            raise Refused([Fault("detector", f"{detector_id} counts nobody", "a detector of kind count")])
        if watch.in_view:
            raise Refused(
                [Fault("occupancy", f"{watch.in_view} in view", "nobody in view: wait until the door is clear")]
            )
        before = watch.inside.inside
        await asyncio.to_thread(forget_inside, watch.detector_id, watch.revision, watch.empty())
        self.tell()
        return before

    async def _store(self, watch: Watch, happening: Happening) -> None:
        outcomes = await asyncio.to_thread(record, happening, watch.links)
        if not happening.changes:
            return
        self.delivery.wake()
        for change in happening.changes:
            outcome = outcomes.pop(0) if change.what != "clear" else f"cleared by {change.cleared_by}"
            self.news.append(
                {
                    "at": happening.at.timestamp(),
                    "detector": watch.detector_id,
                    "region": happening.region,
                    "what": change.what,
                    "reading": round(happening.reading, 2),
                    "object": happening.object,
                    "direction": happening.direction,
                    "outcome": outcome,
                }
            )
        self.news = self.news[-100:]

    # ---- what there is to watch ----

    async def reload(self) -> None:
        """Take up new revisions, links, timetables and devices; nothing is touched where nothing changed."""
        signature, devices, plans = await asyncio.to_thread(_load)
        if signature == self._signature:
            return
        self._signature = signature
        held = {watch.detector_id: watch for watches in self.watches.values() for watch in watches}
        fresh: dict[int, list[Watch]] = {}
        for plan in plans:
            fresh.setdefault(plan["device_id"], []).append(await self._watch(plan, held.get(plan["id"])))
        self.watches = fresh
        for device in devices:
            if device.kind == "thermal":
                self.tokens[device.code] = device.token
                self.feeds.setdefault(device.code, FrameFeed(device.code, device.id))
            elif device.kind in ("camera", "counter"):
                self._follow(device)
        self.delivery.adopt([device for device in devices if device.kind == "io_module"])
        self.tell()

    def _follow(self, device: DeviceRow) -> None:
        """Listen to a device that sends objects, at the address that it has now."""
        size = (int(device.ability.get("width", 0)), int(device.ability.get("height", 0)))
        feed = self.feeds.setdefault(device.code, ObjectFeed(device.code, device.id, size))
        url = device.address.get("url")
        held = self.listeners.get(device.code)
        if held is not None and held.get_name() != url:
            held.cancel()
            held = None
        if url and held is None and isinstance(feed, ObjectFeed):
            self.listeners[device.code] = asyncio.create_task(self._listen(feed, url), name=url)

    async def _watch(self, plan: dict[str, Any], held: Watch | None) -> Watch:
        what = (plan["id"], plan["site_id"], plan["revision"], plan["model"], plan["links"])
        by_objects = isinstance(kind_of(plan["model"].kind), TrackKind)
        watch: Watch = ObjectWatch(*what, frame_px=plan["frame_px"]) if by_objects else ReadingWatch(*what)
        if held is not None and held.revision == watch.revision:
            watch.inherit(held)
        elif not watch.resume(await asyncio.to_thread(remembered, watch.detector_id)):
            await asyncio.to_thread(close_open_events, watch.detector_id, by="lost")
        return watch

    # ---- telling ----

    def tell(self) -> None:
        self._version += 1

    async def stream(self, code: str) -> AsyncIterator[dict[str, Any]]:
        """States of one device, at most a few a second, as they change."""
        told = -1
        while True:
            if told != self._version:
                told = self._version
                yield self.state(code)
            await asyncio.sleep(TELL_S)

    def state(self, code: str) -> dict[str, Any]:
        feed = self.feeds.get(code)
        watches = self.watches.get(feed.device_id, []) if feed else []
        mine = {watch.detector_id for watch in watches}
        return {
            "now": time.time(),
            "feed": feed.as_dict() if feed else None,
            "detectors": [watch.as_dict(feed_live=feed is not None and feed.live) for watch in watches],
            "modules": [module.as_dict() for module in self.delivery.modules.values()],
            "news": [item for item in self.news if item["detector"] in mine][-12:],
        }

    async def beat(self) -> None:
        """Write how every device stands, for the pages that do not follow the stream."""
        standing = [(feed.device_id, feed.live, feed.as_dict()) for feed in self.feeds.values()]
        standing += [(m.device_id, m.reachable, m.as_dict()) for m in self.delivery.modules.values()]
        await asyncio.to_thread(_write_standing, standing)
        self.tell()

    @staticmethod
    async def _every(seconds: float, what: Any) -> None:
        while True:
            await asyncio.sleep(seconds)
            try:
                await what()
            except asyncio.CancelledError:
                raise
            except Exception:
                log.exception("engine task failed", task=what.__name__)


def _load() -> tuple[Any, list[DeviceRow], list[dict[str, Any]]]:
    with transaction() as session:
        devices = list(session.scalars(select(DeviceRow).order_by(DeviceRow.id)))
        plans = [_plan(session, row) for row in session.scalars(select(DetectorRow).order_by(DetectorRow.id))]
    signature = (
        [(d.id, d.code, d.token, repr(d.address), repr(d.outputs)) for d in devices],
        [(p["id"], p["revision"], repr(p["links"])) for p in plans],
    )
    return signature, devices, plans


def _plan(session: Session, row: DetectorRow) -> dict[str, Any]:
    site_id, ability = row.device.site_id, row.device.ability
    links = armed_links(session, site_id, row.id)
    return {
        "id": row.id,
        "device_id": row.device_id,
        "site_id": site_id,
        "revision": row.revision,
        "model": row.model,
        "frame_px": (int(ability["width"]), int(ability["height"])) if {"width", "height"} <= set(ability) else None,
        "links": links,
    }


def _write_standing(standing: list[tuple[int, bool, dict[str, Any]]]) -> None:
    at = datetime.now(UTC)
    with transaction() as session:
        for device_id, reachable, said in standing:
            said = said | {"at": at.timestamp()}
            made = insert(DeviceStateRow).values(device_id=device_id, reachable=reachable, since=at, said=said)
            session.execute(
                made.on_conflict_do_update(index_elements=["device_id"], set_={"reachable": reachable, "said": said})
            )
