"""The live engine: frames in, decisions stepped, events stored with their effects, effects delivered, everything told."""

from __future__ import annotations

import asyncio
import secrets
import time
from collections.abc import AsyncIterator, Callable, Iterable, Sequence
from datetime import UTC, datetime
from functools import partial
from typing import Any

import structlog
from sqlalchemy.dialects.postgresql import insert

from lantern.core.faults import Fault, LanternError, Refused
from lantern.core.kinds import TrackKind, kind_of
from lantern.core.objects.following import Seen
from lantern.db.base import StoreAwayError, transaction
from lantern.db.changes import changes
from lantern.formats.wire import FrameHeader
from lantern.live.delivery import Delivery
from lantern.live.feeds import Feed, FrameFeed, ObjectFeed
from lantern.live.listening import listen
from lantern.live.objects import ObjectWatch
from lantern.live.plans import Plan, load_plans
from lantern.live.readings import ReadingWatch
from lantern.live.recorder import Happening, close_open_events, forget_inside, record, remembered
from lantern.live.tables import DeviceStateRow
from lantern.live.tasks import Patience, end
from lantern.live.watch import Watch
from lantern.survey.tables import DeviceRow

log = structlog.get_logger()
BEAT_S = 1.0
TELL_S = 0.2


class Engine:
    """For all sites. All state lives in the event loop's thread; the store is used from worker threads."""

    def __init__(self) -> None:
        self.feeds: dict[int, Feed] = {}  # by device, as all that follows
        self.listeners: dict[int, asyncio.Task[None]] = {}  # of devices that are asked for their frames
        self.tokens: dict[int, tuple[str, str]] = {}  # code and token of devices that send
        self.watches: dict[int, list[Watch]] = {}
        self.delivery = Delivery(self.tell)
        self.news: list[dict[str, Any]] = []
        self._signature: Any = None
        self._tasks: list[asyncio.Task[None]] = []
        self._version = 0

    async def start(self) -> None:
        """Take up what there is to watch; where the store does not answer yet, as soon as it does."""
        patience = Patience()
        while True:
            try:
                await self.reload()
                break
            except StoreAwayError as error:
                log.warning("the engine waits for the store", error=str(error))
                await asyncio.sleep(patience.lose())
        self._tasks = [asyncio.create_task(self._follow_changes()), asyncio.create_task(self._beat_on())]

    async def stop(self) -> None:
        await end([*self._tasks, *self.listeners.values()])
        await self.delivery.stop()

    # ---- frames ----

    def sender(self, code: str, token: str) -> int | None:
        """The device of this code whose token this is; None: nobody's. Two sites may have devices of one code."""
        for device_id, (own_code, own_token) in self.tokens.items():
            if own_code == code and secrets.compare_digest(own_token.encode(), token.encode()):
                return device_id
        return None

    async def take(self, device_id: int, header: FrameHeader, pixels: Any) -> None:
        """One frame of one device through all its detectors; returns when what it caused is stored."""
        feed = self.feeds[device_id]
        assert isinstance(feed, FrameFeed)
        began = time.perf_counter()
        last = feed.header
        if last is not None and header.t <= last.t and header.seq < last.seq:
            for watch in self.watches.get(device_id, []):  # the device started anew: its clock may stand anywhere
                watch.shift(header.t - last.t)
            feed.restart()
        if not feed.accept(header, pixels):
            return
        for watch in self.watches.get(device_id, []):
            if isinstance(watch, ReadingWatch):
                await self._step(feed, watch, partial(watch.take, header, pixels, feed.interval_s))
        feed.error = ""
        feed.waits_ms.append((time.perf_counter() - began) * 1000)
        self.tell()

    async def take_objects(self, device_id: int, t: float, seen: Sequence[Seen]) -> None:
        """One frame of one device that sends objects; returns when what it caused is stored."""
        feed = self.feeds[device_id]
        assert isinstance(feed, ObjectFeed)
        began = time.perf_counter()
        if feed.t is not None and t < feed.t - feed.interval_s:  # the device started anew
            for watch in self.watches.get(device_id, []):
                watch.shift(t - feed.t)
            feed.t = None
        if not feed.accept(t, seen):
            return
        for watch in self.watches.get(device_id, []):
            if isinstance(watch, ObjectWatch):
                await self._step(feed, watch, partial(watch.take, t, seen))
        feed.waits_ms.append((time.perf_counter() - began) * 1000)
        self.tell()

    async def _step(self, feed: Feed, watch: Watch, take: Callable[[], Iterable[Happening]]) -> None:
        """One detector over one frame. What fails in it is shown at it, and stops neither the others nor the feed."""
        try:
            for happening in take():
                await self._store(feed, watch, happening)
            watch.error = ""
        except LanternError as error:
            watch.error = str(error)
        except Exception as error:
            if not watch.error:
                log.exception("detector failed", detector=watch.detector_id)
            watch.error = f"an error of the program, {type(error).__name__}: the log says more"

    async def _store(self, feed: Feed, watch: Watch, happening: Happening) -> None:
        """Store it, however long the store is away; the feed waits meanwhile."""
        patience = Patience()
        while True:
            try:
                outcomes = await asyncio.to_thread(record, happening, watch.links)
                break
            except StoreAwayError as error:
                feed.error = f"an event waits to be stored: {error}"
                again_in_s = patience.lose()
                log.error("event waits", device=feed.code, error=str(error), tries=patience.failures)
                self.tell()
                await asyncio.sleep(again_in_s)
            except Exception:
                log.error("event cannot be stored", device=feed.code, happening=repr(happening))
                raise
        feed.error = ""
        for each in happening.chain():
            self._tell_news(watch, each, outcomes)
        self.news = self.news[-100:]

    def _tell_news(self, watch: Watch, happening: Happening, outcomes: list[str]) -> None:
        if happening.changes:
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

    # ---- what there is to watch ----

    async def reload(self) -> None:
        """Take up new revisions, links, timetables and devices; nothing is touched where nothing changed."""
        plans = await asyncio.to_thread(load_plans)
        if plans.signature == self._signature:
            return
        held = {watch.detector_id: watch for watches in self.watches.values() for watch in watches}
        fresh: dict[int, list[Watch]] = {}
        for plan in plans.detectors:
            try:
                watch = await self._watch(plan, held.get(plan.detector_id))
            except StoreAwayError:
                raise
            except Exception:
                log.exception("detector cannot be taken up; the others go on", detector=plan.detector_id)
            else:
                fresh.setdefault(plan.device_id, []).append(watch)
        for gone in held.keys() - {plan.detector_id for plan in plans.detectors}:
            await asyncio.to_thread(close_open_events, gone, by="lost")
        self.watches = fresh
        self._adopt(plans.devices)
        self._signature = plans.signature
        self.tell()

    def _adopt(self, devices: Sequence[DeviceRow]) -> None:
        """Feeds of the devices there are; of those that are gone nothing is kept."""
        sending = {device.id: device for device in devices if device.kind == "thermal"}
        asked = {device.id: device for device in devices if device.kind in ("camera", "counter")}
        self.feeds = {key: feed for key, feed in self.feeds.items() if key in sending or key in asked}
        self.tokens = {device.id: (device.code, device.token) for device in sending.values()}
        for gone in self.listeners.keys() - asked.keys():
            self.listeners.pop(gone).cancel()
        for device in sending.values():
            self.feeds.setdefault(device.id, FrameFeed(device.code, device.id, site_id=device.site_id))
        for device in asked.values():
            self._follow(device)
        self.delivery.adopt([device for device in devices if device.kind == "io_module"])

    def _follow(self, device: DeviceRow) -> None:
        """Listen to a device that sends objects, at the address that it has now."""
        size = (int(device.ability.get("width", 0)), int(device.ability.get("height", 0)))
        feed = self.feeds.setdefault(device.id, ObjectFeed(device.code, device.id, size, site_id=device.site_id))
        assert isinstance(feed, ObjectFeed)
        feed.frame_px = size
        url = device.address.get("url")
        held = self.listeners.get(device.id)
        if held is not None and held.get_name() != url:
            held.cancel()
            del self.listeners[device.id]
            held = None
        if url and held is None:

            async def take(t: float, seen: Sequence[Seen]) -> None:
                await self.take_objects(device.id, t, seen)

            self.listeners[device.id] = asyncio.create_task(listen(feed, url, take), name=url)

    async def _watch(self, plan: Plan, held: Watch | None) -> Watch:
        what = (plan.detector_id, plan.site_id, plan.revision, plan.model, plan.links)
        by_objects = isinstance(kind_of(plan.model.kind), TrackKind)
        watch: Watch = ObjectWatch(*what, frame_px=plan.frame_px) if by_objects else ReadingWatch(*what)
        if held is not None and held.revision == watch.revision:
            watch.inherit(held)
        elif not watch.resume(await asyncio.to_thread(remembered, watch.detector_id)):
            await asyncio.to_thread(close_open_events, watch.detector_id, by="lost")
        return watch

    async def _follow_changes(self) -> None:
        async for _ in changes():
            await self._try("changes", self.reload)

    # ---- telling ----

    def tell(self) -> None:
        self._version += 1

    async def stream(self, device_id: int) -> AsyncIterator[dict[str, Any]]:
        """States of one device, at most a few a second, as they change."""
        told = -1
        while True:
            if told != self._version:
                told = self._version
                yield self.state(device_id)
            await asyncio.sleep(TELL_S)

    def state(self, device_id: int) -> dict[str, Any]:
        feed = self.feeds.get(device_id)
        watches = self.watches.get(device_id, [])
        mine = {watch.detector_id for watch in watches}
        modules = [m for m in self.delivery.modules.values() if feed is not None and m.site_id == feed.site_id]
        return {
            "now": time.time(),
            "feed": feed.as_dict() if feed else None,
            "detectors": [watch.as_dict(feed_live=feed is not None and feed.live) for watch in watches],
            "modules": [module.as_dict() for module in modules],
            "news": [item for item in self.news if item["detector"] in mine][-12:],
        }

    async def beat(self) -> None:
        """Write how every device stands, for the pages that do not follow the stream."""
        standing = [(feed.device_id, feed.live, feed.as_dict()) for feed in self.feeds.values()]
        standing += [(m.device_id, m.reachable, m.as_dict()) for m in self.delivery.modules.values()]
        await asyncio.to_thread(_write_standing, standing)
        self.tell()

    async def _beat_on(self) -> None:
        while True:
            await asyncio.sleep(BEAT_S)
            await self._try("beat", self.beat)

    @staticmethod
    async def _try(what: str, work: Any) -> None:
        """Do it; what fails is logged, and the next time comes."""
        try:
            await work()
        except StoreAwayError as error:
            log.warning("the engine waits for the store", task=what, error=str(error))
        except Exception:
            log.exception("engine task failed", task=what)


def _write_standing(standing: list[tuple[int, bool, dict[str, Any]]]) -> None:
    if not standing:
        return
    at = datetime.now(UTC)
    rows = [
        {"device_id": device_id, "reachable": reachable, "since": at, "said": said | {"at": at.timestamp()}}
        for device_id, reachable, said in standing
    ]
    made = insert(DeviceStateRow).values(rows)
    kept = {"reachable": made.excluded.reachable, "said": made.excluded.said}
    with transaction() as session:
        session.execute(made.on_conflict_do_update(index_elements=["device_id"], set_=kept))
