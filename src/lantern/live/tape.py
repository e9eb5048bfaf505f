"""Live devices onto recordings: the decision hands its samples over and goes on; packing and storing follow behind."""

from __future__ import annotations

import asyncio
import time
from collections import deque
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import partial
from statistics import median
from typing import Any

import structlog

from lantern.core.faults import Fault, Refused
from lantern.core.logic.timetable import Timetable
from lantern.core.reel import Held, Reel
from lantern.core.watch import AnySample
from lantern.jobs import defer_recording
from lantern.live.tasks import until_stored
from lantern.recordings import actions
from lantern.signals.register import signal_of

log = structlog.get_logger()
THREADS = ThreadPoolExecutor(2, "tape")  # of their own: a decision that is stored never waits behind a recording
MOST_WAITING = 64 * 2**20  # bytes that wait for the store; beyond, samples are lost, counted and told
PART_S = 2.0  # at most so much is lost with a killed engine
STOP_S = 5.0  # so long what was handed over may take when the engine stops
SILENT_S = 10.0  # nothing came for so long: the recording is over
TRY_AGAIN_S = 30.0  # once there was no room
CLIP_LATE_S = 5.0  # a clip's order may come so late and still have all that was before its event
LONGEST_S = 6 * 3600.0  # then the next one begins
CLOCKS = 50  # samples over which the device's clock is compared


@dataclass(frozen=True)
class RecordingPlan:
    """The plan by which a device is recorded without being asked. `wide_until` (Unix s): around any activity until
    then; `clip_s`: so long before their event links want clips to begin.
    """

    around: bool = False
    before_s: float = 10.0
    after_s: float = 20.0
    timetable: str = ""
    hours: Timetable | None = None
    wide_until: float = 0.0
    clip_s: float = 0.0

    @property
    def back_s(self) -> float:
        """So much before it is recorded around an event, or some activity."""
        return self.before_s if self.around or self.wide_until > time.time() else 0.0

    @property
    def ring_s(self) -> float:
        return max(self.back_s, self.clip_s + CLIP_LATE_S if self.clip_s else 0.0)


@dataclass
class Going:
    """The recording under way. `number`: in the store, once it is there."""

    why: str
    signal: str
    t0: float
    came: float
    first: Any
    number: int | None = None
    stored: int = 0  # samples of it that are in the store
    failed: str = ""  # why nothing more goes on it
    last: float = 0.0  # when its newest sample came


@dataclass
class Tape:
    """The recording of one device that is under way."""

    device_id: int
    frame_px: tuple[int, int] | None
    plan: RecordingPlan = RecordingPlan()
    reel: Reel = field(default_factory=Reel)
    why: str = ""  # of what is wanted now
    going: Going | None = None
    full: str = ""  # why nothing is recorded, loudly
    waiting: int = 0  # bytes
    lost: int = 0
    clocks: deque[float] = field(default_factory=lambda: deque(maxlen=CLOCKS))
    rate: float = 0.0  # bytes a second that the ring would hold
    _before: Going | None = None  # the last one that is over
    _part: list[Held] = field(default_factory=list)
    _jobs: asyncio.Queue[tuple[int, Going, Callable[[], Any]]] = field(default_factory=asyncio.Queue)
    _task: asyncio.Task[None] | None = None
    _last: Held | None = None
    _looked: tuple[float, bool] = (0.0, False)
    _full_at: float = 0.0

    def start(self) -> None:
        if self._task is None:
            self._task = asyncio.create_task(self._store())

    async def stop(self) -> None:
        """Store what was handed over, and end the recording."""
        self.cut("the engine stopped")
        if self._task is not None:
            try:
                await asyncio.wait_for(self._jobs.join(), STOP_S)
            except TimeoutError:
                log.error("a recording could not be stored to its end", device=self.device_id, bytes=self.waiting)
            self._task.cancel()
            await asyncio.gather(self._task, return_exceptions=True)

    def adopt(self, plan: RecordingPlan) -> None:
        if plan != self.plan:
            self._looked = 0.0, False
        self.plan = plan
        self.reel.before_s = plan.ring_s

    # ---- what is wanted ----

    def record_for(self, seconds: float) -> None:
        """Somebody asks for it, from now on."""
        self.why, self.full = "by hand", ""
        self.reel.want(time.time() + seconds, self.plan.back_s)

    def clip(self, why: str, *, back_s: float, until: float) -> None:
        """A link wants what came in the last `back_s`, and what comes until then (Unix s)."""
        if not self.reel.running:
            self.why = why
        self.reel.want(until, back_s)

    @property
    def newest(self) -> Going | None:
        """The recording under way, or the last one."""
        return self.going or self._before

    def try_again(self) -> None:
        """There may be room now."""
        self.full = ""

    def stop_recording(self) -> None:
        self.reel.want_no_more()
        self.cut("stopped by hand")

    def decided(self, why: str, came: float) -> None:
        """The sample that came then made something raise: so much before it, and so much after."""
        if self.plan.around:
            self._around(why, came)

    def activity(self, came: float) -> None:
        """There is something in it that may matter: only while a day is recorded wide."""
        if came < self.plan.wide_until:
            self._around("a wide day", came)

    def _around(self, why: str, came: float) -> None:
        if not self.reel.running:
            self.why = why
        self.reel.want(came + self.plan.after_s, self.plan.back_s)

    # ---- samples ----

    def take(self, sample: AnySample, size: int, came: float) -> None:
        """Hand over one sample; never waits."""
        held = Held(sample.t, sample.value, size, came)
        self._clock(held)
        always = self._in_hours(came)
        was = self.reel.running
        offer = self.reel.offer(held, always=always)
        if offer.ends:
            self.cut("as long as it was wanted")
        if offer.begins and always and not self.reel.until:
            self.why = f"hours {self.plan.timetable}"
        for each in offer.goes:
            self._go(sample.signal, each)
        if was and self.going is not None and held.t - self.going.t0 > LONGEST_S:
            self.cut("it is long enough: the next one goes on")

    def _in_hours(self, came: float) -> bool:
        """Looked up once a second: hours are laid out anew for each look."""
        if self.plan.hours is None:
            return False
        if came - self._looked[0] >= 1.0 or came < self._looked[0]:
            self._looked = came, self.plan.hours.is_active(datetime.fromtimestamp(came, UTC))
        return self._looked[1]

    def _clock(self, held: Held) -> None:
        self.clocks.append(held.t - held.came)
        if self._last is not None and held.t > self._last.t:
            pace = held.size / (held.t - self._last.t)
            self.rate += 0.1 * (pace - self.rate)
        self._last = held

    @property
    def clock_s(self) -> float | None:
        """Return how far the device's clock is ahead of ours, as it usually comes; the way of a sample counts as
        behind.
        """
        return round(median(self.clocks), 3) if self.clocks else None

    def _go(self, signal: str, held: Held) -> None:
        if self.full:
            if held.came - self._full_at < TRY_AGAIN_S:
                return
            self.full = ""
        going = self.going
        if going is not None and not (signal == going.signal and signal_of(signal).alike(going.first, held.value)):
            self.cut("the device's picture changed")
            going = None
        if self.waiting > MOST_WAITING:
            self.lost += 1
            return
        if going is None:
            going = self.going = Going(self.why or "by hand", signal, held.t, held.came, held.value)
            self._jobs.put_nowait((0, going, partial(self._begin, going)))
        going.last = held.came
        self._part.append(held)
        self.waiting += held.size
        if len(self._part) >= signal_of(signal).part_samples or held.t - self._part[0].t >= PART_S:
            self._flush()

    def tick(self) -> None:
        """Now and then: a device that fell silent leaves no part unstored, and no recording open."""
        if self._last is None or self.going is None:
            return
        silent_s = time.time() - self._last.came
        if silent_s > PART_S:
            self._flush()
        if silent_s > SILENT_S:
            self.reel.running = False
            self.cut(f"nothing came for {SILENT_S:g} s")

    def jumped(self) -> None:
        """The device began anew: its times are no longer those of before."""
        self.reel.clear()
        self.reel.running = False
        self.cut("the device began anew")
        self.clocks.clear()
        self._last = None

    def cut(self, why: str) -> None:
        """The recording under way is over."""
        going, self.going = self.going, None
        if going is not None:
            self._before = going
            self._flush(going)
            self._jobs.put_nowait((0, going, partial(self._end, going, why, self.clock_s)))

    def _flush(self, going: Going | None = None) -> None:
        going = going or self.going
        part, self._part = self._part, []
        if going is None or not part:
            return
        lost, self.lost = self.lost, 0
        size = sum(held.size for held in part)
        self._jobs.put_nowait((size, going, partial(self._add, going, part, lost)))

    # ---- the store, in threads, one after the other ----

    async def _store(self) -> None:
        while True:
            size, going, work = await self._jobs.get()
            try:
                await until_stored(work, threads=THREADS)
            except Refused as error:
                self._stop_loudly(going, "; ".join(f"{each.what}; expected {each.expected}" for each in error.faults))
            except Exception:
                log.exception("a recording failed", device=self.device_id)
                self._stop_loudly(going, "an error of the program: the log says more")
            finally:
                self.waiting -= size
                self._jobs.task_done()

    def _stop_loudly(self, failed: Going, why: str) -> None:
        """It is over, as far as it is stored; what waits for it is let go."""
        log.error("recording stopped", device=self.device_id, why=why)
        if failed.number is not None and not failed.failed:
            failed.failed = why
            self._jobs.put_nowait((0, failed, partial(self._end, failed, why, self.clock_s)))
        self.waiting -= sum(held.size for held in self._part)
        self.full, self._full_at, self.going, self._part = why, time.time(), None, []
        self.reel.want_no_more()
        self.reel.running = False

    def _begin(self, going: Going) -> None:
        going.number = actions.begin(self.device_id, going.signal, why=going.why, t0=going.t0, came=going.came)

    def _add(self, going: Going, part: list[Held], lost: int) -> None:
        if going.number is None or going.failed:  # there was no room for it
            return
        samples = [(round(held.t - going.t0, 6), held.value) for held in part]
        known = {"frame_px": self.frame_px}
        room = actions.add_part(going.number, samples, known, first=going.stored, lost=lost)
        going.stored += len(part)
        if room.full:
            actions.end(going.number, room.full, self.clock_s)
            defer_recording(going.number)
            going.number = None
            raise Refused([Fault("recording", room.full, "more room for recordings, or fewer marked ones")])

    def _end(self, going: Going, why: str, clock_s: float | None) -> None:
        if going.number is not None:
            actions.end(going.number, going.failed or why, clock_s)
            defer_recording(going.number)

    def as_dict(self) -> dict[str, Any]:
        going = self.going
        return {
            "going": None if going is None else {"why": going.why, "since": going.came, "samples": going.stored},
            "until": self.reel.until,
            "full": self.full,
            "lost": self.lost,
            "ring_s": self.reel.before_s,
            "ring_bytes": round(self.rate * self.reel.before_s),
            "bytes_s": round(self.rate),
            "clock_s": self.clock_s,
        }
