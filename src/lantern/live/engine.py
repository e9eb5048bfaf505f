"""The live engine: frames in, decisions stepped, events stored with their effects, effects delivered, everything told."""

from __future__ import annotations

import asyncio
import secrets
import time
from collections.abc import AsyncIterator, Callable, Iterable, Sequence
from datetime import datetime
from functools import partial
from itertools import chain, repeat
from typing import Any, TypeVar

import structlog

from lantern.core.devices import DEVICE_KINDS
from lantern.core.faults import Fault, LanternError, Refused
from lantern.core.linking.arming import Armed
from lantern.core.logic.timetable import Timetable
from lantern.core.watch import AnySample, Turn
from lantern.db.base import StoreAwayError, now
from lantern.db.changes import changes
from lantern.live.captures import Keeper
from lantern.live.clips import Clips
from lantern.live.compounds import Compounds
from lantern.live.couriers import Couriers
from lantern.live.delivery import Delivery
from lantern.live.head_orders import HeadOrders
from lantern.live.inputs import Inputs
from lantern.live.late import keep_late
from lantern.live.listening import listen
from lantern.live.plans import Plan, load_plans
from lantern.live.recorder import (
    CompoundClear,
    CompoundTurn,
    Happening,
    InputTurn,
    clear_compound,
    close_open_events,
    record,
    record_compound,
    record_input,
    record_reset,
    remembered,
)
from lantern.live.running import SILENT, Running, running
from lantern.live.speakers import Reached, Speakers
from lantern.live.standing import new_feed, picture_size, write_standing
from lantern.live.steering import Steering
from lantern.live.tapes import Tapes
from lantern.live.tasks import Patience, end, until_stored
from lantern.live.whereabouts import Whereabouts
from lantern.live.woken import Woken
from lantern.recordings.actions import left_over
from lantern.register.tables import DeviceRow
from lantern.signals.feed import Feed, Frame

log = structlog.get_logger()
T = TypeVar("T")
BEAT_S = 1.0
FIRST_BEATS_S = (0.2, 0.2, 0.3, 0.3, 0.5)  # who waits for the engine to be back sees it at once
TELL_S = 0.2


def _waits(name: str, error: StoreAwayError, again_in_s: float, tries: int) -> None:
    log.error("waits for the store", what="a compound", name=name, error=str(error), tries=tries)


class Engine:
    """The engine of all sites. All state lives in the event loop's thread; the store is used from worker threads.
    `clock` gives the instants of events and orders.
    """

    def __init__(self, clock: Callable[[], datetime] = now) -> None:
        self._clock = clock
        self.feeds: dict[int, Feed[Any]] = {}  # by device, as all that follows
        self.listeners: dict[int, asyncio.Task[None]] = {}  # of devices that are asked for their frames
        self.tokens: dict[int, tuple[str, str]] = {}  # code and token of devices that send
        self.runs: dict[int, list[Running]] = {}
        self.tapes = Tapes()
        self.captures = Keeper(self._picture_lost)
        self.delivery = Delivery(self.tell, clock)
        self.steering = Steering()
        self.whereabouts = Whereabouts()
        self.inputs = Inputs(self._input_turned, self.tell, clock)
        self.voices: dict[int, Reached] = {}  # the speakers
        self.orders: list[Woken] = [
            Couriers(self.tell, clock),
            Clips(self.tapes, clock),
            HeadOrders(lambda: self.steering.duties, self.whereabouts, clock),
            Speakers(lambda: self.voices, self.tell, clock),
        ]
        self.compounds = Compounds(self._compound_raised, self._compound_cleared, clock)
        self.news: list[dict[str, Any]] = []
        self._signature: Any = None
        self._tasks: list[asyncio.Task[None]] = []
        self._version = 0

    async def start(self) -> None:
        """Take up what there is to watch; where the store does not answer yet, as soon as it does."""
        patience = Patience()
        while True:
            try:
                await asyncio.to_thread(left_over)
                await self.reload()
                break
            except StoreAwayError as error:
                log.warning("the engine waits for the store", error=str(error))
                await asyncio.sleep(patience.lose())
        for orders in self.orders:
            orders.start()
        self._tasks = [asyncio.create_task(self._follow_changes()), asyncio.create_task(self._beat_on())]

    async def stop(self) -> None:
        await end([*self._tasks, *self.listeners.values()])
        await self.tapes.stop()
        await self.captures.stop()
        await self.inputs.stop()
        await self.compounds.stop()
        for orders in self.orders:
            await orders.stop()
        await self.delivery.stop()
        await self.steering.stop()

    # ---- frames ----

    def sender(self, code: str, token: str) -> int | None:
        """The device of this code whose token this is; None: nobody's. Two sites may have devices of one code."""
        for device_id, (own_code, own_token) in self.tokens.items():
            if own_code == code and secrets.compare_digest(own_token.encode(), token.encode()):
                return device_id
        return None

    async def take(self, device_id: int, frame: Frame) -> None:
        """One frame of one device through all its detectors; returns when what it caused is stored."""
        feed = self.feeds[device_id]
        began = time.perf_counter()
        runs = self.runs.get(device_id, [])
        jump_s = feed.jump_s(frame)
        if jump_s is not None:
            for run in runs:
                run.watch.shift(jump_s)
            feed.restart()
            self.tapes.of(device_id).jumped()
        follows = feed.accept(frame)
        came = time.time()
        sample = frame.sample()
        late = frame.late(follows=follows)
        if late is not None:
            keep = partial(keep_late, device_id, sample.signal, frame.t, late)
            await self._stored(feed, keep, f"{sample.signal} that came late")
            feed.kept_late()
        if not follows:
            return
        self.whereabouts.take(device_id, sample)
        tape = self.tapes.of(device_id)
        for run in runs:
            run.unfit = run.watch.kind.unfit(run.watch.detector, sample.signal)
            if not run.unfit and not run.fault:
                if await self._step(feed, run, sample):
                    tape.decided(f"around an event of {run.watch.detector.name}", came)
                if run.watch.has_activity(sample):
                    tape.activity(came)
        await self._accompany(feed, sample)
        tape.take(sample, frame.size, came)
        pictures = feed.pictures(frame)
        if pictures:
            taken_for = {probe: member for run in runs for probe, member in run.watch.taken_for(sample).items()}
            self.captures.take(device_id, sample.t, pictures, taken_for)
        feed.error = ""
        feed.waits_ms.append((time.perf_counter() - began) * 1000)
        self.tell()

    async def _accompany(self, feed: Feed[Any], sample: AnySample) -> None:
        """Give a sample to the detectors of other devices that are decided with it, by their own clock: it came when it came. A device
        that sends nothing goes by ours.
        """
        for device_id, runs in self.runs.items():
            for run in runs:
                code, own = run.beside.get(feed.device_id), self.feeds.get(device_id)
                if code is None or run.fault or (own is not None and own.clock_s is None):
                    continue
                t = feed.last_at + (0.0 if own is None or own.clock_s is None else own.clock_s)
                await self._turned(feed, run, sample, run.watch.accompany(code, t, sample))
                self.steering.follow(device_id, run.watch)

    async def _step(self, feed: Feed[Any], run: Running, sample: AnySample) -> bool:
        """One detector over one sample; returns whether it raised. What fails in it is shown at it, and stops neither the others
        nor the feed.
        """
        return await self._turned(feed, run, sample, run.watch.step(sample, feed.interval_s))

    async def _turned(self, feed: Feed[Any], run: Running, sample: AnySample, turns: Iterable[Turn]) -> bool:
        """What a sample changed is stored, one turn before the next is looked at."""
        raised = False
        try:
            for turn in turns:
                happening = Happening(run.site_id, run.detector_id, run.revision, self._clock(), turn, sample.t)
                await self._store(feed, run, happening)
                raised |= any(change.what != "clear" for each in turn.chain() for change in each.changes)
            run.error = ""
        except LanternError as error:
            run.error = str(error)
        except Exception as error:
            if not run.error:
                log.exception("detector failed", detector=run.detector_id)
            run.error = f"an error of the program, {type(error).__name__}: the log says more"
        return raised

    async def _store(self, feed: Feed[Any], run: Running, happening: Happening) -> None:
        """Store it, however long the store is away; the feed waits meanwhile."""
        outcomes = await self._stored(feed, partial(record, happening, run.links, run.hours), "an event")
        for turn in happening.turn.chain():
            self._tell_compounds(run, happening, turn)
            self._tell_news(happening, turn, outcomes)
        self.news = self.news[-100:]

    async def _stored(self, feed: Feed[Any], work: Callable[[], T], what: str) -> T:
        """Do it in a worker thread, again and again while the store is away; the feed says so meanwhile."""

        def waits(error: StoreAwayError, again_in_s: float, tries: int) -> None:
            feed.error = f"{what} waits to be stored: {error}"
            log.error("waits for the store", what=what, device=feed.code, error=str(error), tries=tries)
            self.tell()

        try:
            done = await until_stored(work, waits)
        except Exception:
            log.error("cannot be stored", what=what, device=feed.code, work=repr(work))
            raise
        feed.error = ""
        return done

    def _tell_compounds(self, run: Running, happening: Happening, turn: Turn) -> None:
        """What a detector raised, unless its own hours put it to sleep, and what has cleared, to the compounds of its site."""
        name, at = run.watch.detector.name, happening.at
        for change in turn.changes:
            if change.what == "clear":
                self.compounds.cleared(run.site_id, "detector", name, turn.region, turn.object, at)
            elif change.what == "raise" and (run.hours is None or run.hours.is_active(at)):
                listed = turn.own.get("list")
                self.compounds.raised(run.site_id, "detector", name, turn.region, turn.object, at, listed)

    def _tell_news(self, happening: Happening, turn: Turn, outcomes: list[str]) -> None:
        if turn.changes:
            self._wake()
        for change in turn.changes:
            outcome = outcomes.pop(0) if change.what != "clear" else f"cleared by {change.cleared_by}"
            self.news.append(
                {
                    "at": happening.at.timestamp(),
                    "detector": happening.detector_id,
                    "region": turn.region,
                    "what": change.what,
                    "reading": round(turn.reading, 2),
                    "object": turn.object,
                    "direction": turn.direction,
                    "outcome": outcome,
                }
            )

    def _wake(self) -> None:
        """Orders may have been stored."""
        self.delivery.wake()
        for orders in self.orders:
            orders.wake()

    def _picture_lost(self, device_id: int) -> None:
        feed = self.feeds.get(device_id)
        if feed is not None:
            feed.pictures_lost += 1

    async def _input_turned(self, turn: InputTurn, links: Sequence[Armed]) -> None:
        """An input came to another state: kept, with the event and the effects that come of it."""

        def waits(error: StoreAwayError, again_in_s: float, tries: int) -> None:
            log.error("waits for the store", what="an input", input=turn.input, error=str(error), tries=tries)

        stored = await until_stored(partial(record_input, turn, links), waits)
        if turn.before is not None and turn.before != turn.state:
            self.compounds.cleared(turn.site_id, "input", turn.input, turn.before, None, turn.at)
        if stored is not None:
            if not stored.asleep:
                self.compounds.raised(turn.site_id, "input", turn.input, turn.state, None, turn.at)
            self._wake()

    async def _compound_raised(self, turn: CompoundTurn, links: Sequence[Armed], hours: Timetable | None) -> None:
        await until_stored(partial(record_compound, turn, links, hours), partial(_waits, turn.name))
        self._wake()
        self.tell()

    async def _compound_cleared(self, over: CompoundClear) -> None:
        await until_stored(partial(clear_compound, over), partial(_waits, over.name))

    async def told(self, detector_id: int, what: str) -> float:
        """Somebody says how a detector stands in truth; returns its reading of before. Raises `Refused`."""
        run = next((run for runs in self.runs.values() for run in runs if run.detector_id == detector_id), None)
        if run is None:
            raise Refused([Fault("detector", f"{detector_id} does not run", "a detector that runs live")])
        before, turn = run.watch.told(what)
        await asyncio.to_thread(record_reset, run.detector_id, run.revision, turn, self._clock())
        self.tell()
        return before

    # ---- what there is to watch ----

    async def reload(self) -> None:
        """Take up new revisions, links, timetables and devices; nothing is touched where nothing changed."""
        plans = await asyncio.to_thread(load_plans)
        if plans.signature == self._signature:
            return
        held = {run.detector_id: run for runs in self.runs.values() for run in runs}
        fresh: dict[int, list[Running]] = {}
        for plan in plans.detectors:
            try:
                run = await self._take_up(plan, held.get(plan.detector_id))
            except StoreAwayError:
                raise
            except Exception:
                log.exception("detector cannot be taken up; the others go on", detector=plan.detector_id)
            else:
                fresh.setdefault(plan.device_id, []).append(run)
        for gone in held.keys() - {plan.detector_id for plan in plans.detectors}:
            await asyncio.to_thread(close_open_events, gone, self._clock(), by="lost")
        self.runs = fresh
        self._adopt(plans.devices)
        self.whereabouts.adopt(plans.devices)
        await self.steering.adopt(plans.devices)
        self.voices = {
            device.id: Reached(device.site_id, str(device.address.get("url", "")), device.ability)
            for device in plans.devices
            if DEVICE_KINDS[device.kind].reached == "played"
        }
        written = [device for device in plans.devices if DEVICE_KINDS[device.kind].reached == "written"]
        await self.inputs.adopt(written, plans.inputs)
        await self.compounds.adopt(plans.compounds)
        sizes = {device.id: picture_size(device) for device in plans.devices if device.id in self.feeds}
        await self.tapes.adopt(sizes, plans.recordings)
        self._signature = plans.signature
        self.tell()

    def _adopt(self, devices: Sequence[DeviceRow]) -> None:
        """Feeds of the devices there are; of those that are gone nothing is kept."""
        sending = {device.id: device for device in devices if DEVICE_KINDS[device.kind].reached == "sends"}
        asked = {device.id: device for device in devices if DEVICE_KINDS[device.kind].reached == "asked"}
        self.feeds = {key: feed for key, feed in self.feeds.items() if key in sending or key in asked}
        self.tokens = {device.id: (device.code, device.token) for device in sending.values()}
        for gone in self.listeners.keys() - asked.keys():
            self.listeners.pop(gone).cancel()
        for device in sending.values():
            if device.id not in self.feeds:
                self.feeds[device.id] = new_feed(device)
        for device in asked.values():
            self._follow(device)
        self.delivery.adopt([device for device in devices if DEVICE_KINDS[device.kind].reached == "written"])

    def _follow(self, device: DeviceRow) -> None:
        """Listen to a device that is asked for its frames, at the address that it has now."""
        feed = self.feeds.setdefault(device.id, new_feed(device))
        url = device.address.get("url")
        feed.frame_px, feed.where = picture_size(device), url or ""
        held = self.listeners.get(device.id)
        if held is not None and held.get_name() != url:
            held.cancel()
            del self.listeners[device.id]
            held = None
        if url and held is None:
            take = partial(self.take, device.id)
            self.listeners[device.id] = asyncio.create_task(listen(feed, take), name=url)

    async def _take_up(self, plan: Plan, held: Running | None) -> Running:
        run = running(plan)
        if held is not None and held.revision == run.revision:
            run.watch.inherit(held.watch)
        elif not run.resume(await asyncio.to_thread(remembered, run.detector_id)):
            await asyncio.to_thread(close_open_events, run.detector_id, self._clock(), by="lost")
        return run

    async def _follow_changes(self) -> None:
        async for _ in changes():
            await self._try("changes", self.reload)
            self._wake()

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
        runs = self.runs.get(device_id, [])
        mine = {run.detector_id for run in runs}
        own = self.delivery.modules.get(device_id)
        site_id = feed.site_id if feed is not None else own.site_id if own is not None else None
        modules = [m for m in self.delivery.modules.values() if m.site_id == site_id]
        return {
            "now": time.time(),
            "feed": feed.as_dict() if feed else None,
            "recording": self.tapes.as_dict(device_id),
            "head": self.steering.as_dict(device_id),
            "detectors": [run.as_dict(silent=self._silent(device_id, feed)) for run in runs],
            "modules": [m.as_dict() | {"inputs": self.inputs.as_dict(m.device_id)} for m in modules],
            "news": [item for item in self.news if item["detector"] in mine][-12:],
        }

    def _silent(self, device_id: int, feed: Feed[Any] | None) -> str:
        """Return why nothing comes from a device; empty: something does, or it is steered and answers."""
        head = self.steering.heads.get(device_id)
        if head is not None:
            return head.silent
        return "" if feed is not None and feed.live else SILENT

    async def beat(self) -> None:
        """Write how every device stands, for the pages that do not follow the stream."""
        self.tapes.tick()
        feeds = self.feeds.values()
        told = {feed.device_id: feed.as_dict() | {"recording": self.tapes.as_dict(feed.device_id)} for feed in feeds}
        standing = [(feed.device_id, feed.live, told[feed.device_id]) for feed in feeds]
        standing += [(m.device_id, m.reachable, m.as_dict()) for m in self.delivery.modules.values()]
        await asyncio.to_thread(write_standing, standing)
        self.tell()

    async def _beat_on(self) -> None:
        for pause_s in chain(FIRST_BEATS_S, repeat(BEAT_S)):
            await asyncio.sleep(pause_s)
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
