"""A night on the stand-in, on a clock that runs fast: the duty as the engine runs it, moment by moment, and the stand-in's mechanics with
the speeds of this head. What each place then really got stands beside what the duty's sums say.
"""

from __future__ import annotations

import math
import time
from collections.abc import Generator, Sequence
from dataclasses import dataclass, field
from datetime import timedelta
from typing import NamedTuple

import numpy as np

from lantern.core.ptz.days import Asked, Day, day_of
from lantern.core.ptz.gaps import got, px_per_m
from lantern.core.ptz.head import Head, shortest
from lantern.core.ptz.holder import Holder
from lantern.core.ptz.rounds import Sheet
from lantern.core.watch import Aim
from lantern.duty.days import Known
from lantern.duty.recorded import FAST_DEG_S
from lantern.routines import Routine, Running
from lantern.standins.ptz.body import ZOOM_BEND, Axis, Body

FROM_S, HOURS = 21 * 3600.0, 8  # since local midnight
EVERY_S = 0.5  # the engine's own pace
STEP_S = 0.02  # of the mechanics


class Ran(NamedTuple):
    """A place: the longest time unseen as it ran, and as the sums say it; the share of the night in view, of both."""

    name: str
    ran_s: float
    sums_s: float
    ran_share: float
    sums_share: float


NIGHT: Routine[Ran] = Routine("night")


@dataclass
class Looked:
    """Where it looked, told apart by when that changed."""

    at_s: list[float] = field(default_factory=list)
    aims: list[Aim] = field(default_factory=list)

    def note(self, t: float, aim: Aim) -> None:
        if not self.aims or self.aims[-1] != aim:
            self.at_s.append(t)
            self.aims.append(aim)


@dataclass
class Machine:
    """The stand-in's mechanics, turned in directions of the site."""

    head: Head
    body: Body = field(init=False)
    sent: int = 0

    def __post_init__(self) -> None:
        head, low_high = self.head, self.head.limits.tilt
        turns = (head.speed_deg_s, head.acceleration_deg_s2)
        self.body = Body(
            pan=Axis(None, None, *turns), tilt=Axis(*low_high, *turns), settle_s=head.settle_s, step_s=STEP_S
        )

    def go(self, aim: Aim, share: float) -> None:
        self.body.go(aim.pan_deg, aim.tilt_deg, self._unit(aim.zoom), (share, share, 1.0))
        self.sent += 1

    def _unit(self, zoom: float) -> float:
        most = self.body.tele_mm / self.body.wide_mm
        share = math.log(min(max(zoom, 1.0), most)) / math.log(most)
        return float(share ** (1 / ZOOM_BEND))

    @property
    def looks(self) -> Aim:
        body = self.body
        return Aim(round(body.pan.at % 360, 3), round(body.tilt.at, 3), round(body.focal_mm / body.wide_mm, 3))


def begin_night(device_id: int, known: Known, sheet: Sheet) -> None:
    """Raises `Refused` where one is under way, or something that it is to do is not there."""
    known.entries(sheet, FROM_S + HOURS * 3600.0)

    def work(held: Running[Ran]) -> Generator[Ran | None]:
        began = time.monotonic()
        run = Night(known, sheet)
        for hour in range(HOURS):
            run.go_on(FROM_S + (hour + 1) * 3600.0)
            yield None
        yield from run.results()
        took = time.monotonic() - began
        held.said = (
            f"{HOURS} h from {FROM_S / 3600:.0f}:00 on a clock {HOURS * 3600 / took:.0f} times as fast: "
            f"{run.machine.sent} commands, {run.followed} of {run.called} calls had it."
        )

    NIGHT.begin(device_id, HOURS + len(known.spots), work)


class Night:
    """One night, as far as it has gone."""

    def __init__(self, known: Known, sheet: Sheet, hours: float = HOURS) -> None:
        self.known, self.sheet, self.to_s = known, sheet, FROM_S + hours * 3600.0
        self.calls: Sequence[Asked] = [each for each in known.calls(sheet, self.to_s) if each.at_s >= FROM_S]
        self.machine = Machine(known.site.head)
        self.machine.go(known.site.rest, 1.0)
        self.looked = Looked()
        self.called = self.followed = 0
        self._holder = Holder(sheet, known.site, self._is_on, FROM_S)
        self._t = self.machine.body.now_s = FROM_S
        self._next = 0
        self._calling: dict[str, Asked] = {}
        self._had: set[str] = set()
        self._wanted: Aim | None = None

    def _is_on(self, name: str, t: float) -> bool:
        found = next((each for each in self.known.timetables if each.name == name), None)
        return found is not None and found.is_active(self.known.begins + timedelta(seconds=t))

    def go_on(self, until_s: float) -> None:
        """Until then, in steps as the engine takes them."""
        holder, machine = self._holder, self.machine
        while self._t < until_s:
            t = self._t
            machine.body.advance(t)
            self.looked.note(t, machine.looks)
            self._call(t)
            step = holder.now(t, (), machine.looks)
            if step is not None:
                machine.go(step.aim, step.share)
            for who, call in self._calling.items():
                if holder.lets(who):
                    self._follow(call, t)
                    self._had.add(who)
            self._t = t + EVERY_S
        self.followed = len(self._had)

    def _call(self, t: float) -> None:
        for who, call in list(self._calling.items()):
            if call.at_s + call.for_s <= t:
                self._holder.over(t, who)
                del self._calling[who]
                self._wanted = None
        while self._next < len(self.calls) and self.calls[self._next].at_s <= t:
            call = self.calls[self._next]
            self._calling[f"{call.do} {self._next + 1}"] = call
            self._next += 1
            self.called += 1
        for who, call in self._calling.items():
            self._holder.asks(t, who, call.rank)

    def _follow(self, call: Asked, t: float) -> None:
        aim = next((aim for at, aim in reversed(call.course) if call.at_s + at <= t), None)
        if aim is not None and self._wanted != aim:
            self.machine.go(aim, 1.0)
            self._wanted = aim

    def day(self) -> Day:
        """Return it as days have it: what turned too fast to be seen is no look."""
        at, aims = self.looked.at_s, self.looked.aims
        began, ended, rows = [], [], []
        for n, (since, aim) in enumerate(zip(at, aims, strict=True)):
            until = at[n + 1] if n + 1 < len(at) else self.to_s
            if n + 1 < len(at) and _pace(aim, aims[n + 1]) > FAST_DEG_S:
                until -= EVERY_S  # it was last seen there then
            if until > since:
                began.append(since)
                ended.append(until)
                rows.append(aim)
        looks = np.arange(len(rows), dtype=np.intp)
        aimed = np.array(rows, dtype=np.float64).reshape(-1, 3)
        return Day(FROM_S, self.to_s, (), (), np.array(began), np.array(ended), looks, aimed)

    def results(self) -> list[Ran]:
        known, sheet = self.known, self.sheet
        head = known.site.head
        entries = known.entries(sheet, self.to_s)
        sums = day_of(sheet, known.site, entries, self.calls, (), from_s=FROM_S, to_s=self.to_s)
        both = []
        for day in (self.day(), sums):
            both.append(got(day, known.spots, px_per_m(known.spots, day.aims, head, known.frame_px, known.walls)))
        return [
            Ran(ran.name, round(ran.longest_s, 1), round(said.longest_s, 1), round(ran.share, 4), round(said.share, 4))
            for ran, said in zip(*both, strict=True)
        ]


def _pace(one: Aim, other: Aim) -> float:
    """In degrees a second, from one step of the engine to the next."""
    return max(abs(shortest(one.pan_deg, other.pan_deg)), abs(other.tilt_deg - one.tilt_deg)) / EVERY_S
