"""What if: a device is down, or away for a while, the network is late, it is another hour: what then comes of the same takes.

What a device gives is left out where it is down or away; what is ordered of it is delivered late, or never.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, time, timedelta
from typing import Any, NamedTuple, Self
from zoneinfo import ZoneInfo

from pydantic import Field, model_validator

from lantern.core.linking.whole import Given, Line
from lantern.core.modelled import Strict
from lantern.core.rule import TIME_TOLERANCE_S

DAY_S = 86_400.0
LOST = "lost"  # an order that reached nothing


class Away(Strict):
    """A device that is not reached for so long: from `from_s` on, or each day from `at` on, by the site's clock."""

    device: str = Field(min_length=1, max_length=40)
    from_s: float | None = Field(default=None, ge=-1e9, le=1e9)
    at: time | None = None
    length_s: float = Field(gt=0, le=7 * 86_400)

    @model_validator(mode="after")
    def _from_when(self) -> Self:
        if (self.from_s is None) == (self.at is None):
            raise ValueError("give from_s, or at (a time of the clock such as 22:14)")
        return self

    def spans(self, begins: datetime, zone: ZoneInfo, length_s: float) -> Iterator[tuple[float, float]]:
        """Yield from when until when it is away, in s from an aware instant, over so long a run."""
        if self.at is None:
            assert self.from_s is not None
            yield self.from_s, self.from_s + self.length_s
            return
        day = begins.astimezone(zone).date() - timedelta(days=math.ceil(self.length_s / DAY_S))
        while (from_s := (datetime.combine(day, self.at, zone) - begins).total_seconds()) < length_s:
            if from_s + self.length_s > 0:
                yield from_s, from_s + self.length_s
            day += timedelta(days=1)


class Suppose(Strict):
    """What is another than it is, for one run. `later_h`: by so many hours the whole day is laid later; `guards`: among whom the alarms
    are shared; `revisions`: of detectors, by name.
    """

    down: tuple[str, ...] = Field(default=(), max_length=50)
    away: tuple[Away, ...] = Field(default=(), max_length=50)
    late_s: float = Field(default=0.0, ge=0, le=86_400)
    later_h: float = Field(default=0.0, ge=-24, le=24)
    guards: int = Field(default=1, ge=1, le=100)
    revisions: dict[str, int] = Field(default_factory=dict, max_length=500)

    def of_run(self, begins: datetime, zone: ZoneInfo, length_s: float) -> Supposed:
        """Return it for a run that begins then, and lasts so long."""
        away = [Absence(each.device, *span) for each in self.away for span in each.spans(begins, zone, length_s)]
        return Supposed(frozenset(self.down), tuple(sorted(away, key=lambda each: each.from_s)), self.late_s)

    @property
    def devices(self) -> set[str]:
        return {*self.down, *(each.device for each in self.away)}


class Absence(NamedTuple):
    """A device is away, in s of a run."""

    device: str
    from_s: float
    until_s: float

    def covers(self, t_s: float) -> bool:
        return self.from_s - TIME_TOLERANCE_S <= t_s < self.until_s - TIME_TOLERANCE_S


@dataclass(frozen=True)
class Supposed:
    """What is supposed of one run: `down` devices, those that are `away` in order of time, and a network that is late."""

    down: frozenset[str]
    away: tuple[Absence, ...]
    late_s: float

    def hears(self, device: str, t_s: float) -> bool:
        """Return whether what a device gives at a time arrives."""
        return device not in self.down and not any(each.device == device and each.covers(t_s) for each in self.away)

    def heard(self, events: Iterable[Given], device_of: Mapping[tuple[str, str], str]) -> list[Given]:
        """Return what is heard of all that happens. `device_of`: by ("detector" or "input", its name)."""
        return [each for each in events if self.hears(device_of.get((each.what, each.name), ""), each.raised_s)]

    def delivered(self, lines: Sequence[Line], device_of: Mapping[str, str]) -> list[Line]:
        """Return the lines of a rehearsal, each order delivered as it then would be. `device_of`: by what an order is done to."""
        return [self._delivered(line, device_of) if line.ordered_by is not None else line for line in lines]

    def _delivered(self, line: Line, device_of: Mapping[str, str]) -> Line:
        said = line.said
        if said["from_s"] is None:
            return line
        device = device_of.get(said["on"], "")
        if device in self.down:
            return line._replace(said=_lost(said, LOST, f"{device} is down."))
        at_s = said["from_s"] + self.late_s
        waited_for = ""
        for each in self.away:
            if each.device == device and each.covers(at_s):
                at_s, waited_for = each.until_s, device
        late_s = at_s - said["from_s"]
        if late_s <= TIME_TOLERANCE_S:
            return line
        if late_s > line.expire_s + TIME_TOLERANCE_S:
            because = f"{late_s:g} s late, and it may be {line.expire_s:g} s."
            return line._replace(said=_lost(said, "expired", because))
        ends = None if said["to_s"] is None else said["to_s"] + late_s
        because = f"{waited_for} was away: delivered" if waited_for else "Delivered"
        shifted = {"from_s": at_s, "to_s": ends, "because": f"{because} {late_s:g} s late."}
        return line._replace(said=said | shifted)


def _lost(said: Mapping[str, Any], result: str, because: str) -> dict[str, Any]:
    return {**said, "from_s": None, "to_s": None, "result": result, "because": because}


class Other(NamedTuple):
    """An order that comes out otherwise: `before` and `after` its result and when it began; None: there is no such order."""

    link: str
    do: str
    on: str
    at_s: float
    before: tuple[str, float | None] | None
    after: tuple[str, float | None] | None

    @property
    def words(self) -> str:
        """Return what becomes of it."""
        if self.after is None:
            return "does not come"
        if self.before is None:
            return f"comes, {self.after[0]}"
        (was, was_s), (now, now_s) = self.before, self.after
        if was == now and was_s is not None and now_s is not None:
            return f"{abs(now_s - was_s):g} s {'later' if now_s > was_s else 'earlier'}"
        return f"{now} instead of {was}"


def others(before: Sequence[Line], after: Sequence[Line]) -> list[Other]:
    """Return the orders that come out otherwise, by when they were ordered. The same order is that of one link, for one thing, of one instant;
    several of these are told apart by their order.
    """
    one, other = _by_order(before), _by_order(after)
    out = []
    for key in sorted(one.keys() | other.keys(), key=lambda each: (each[3], each)):
        was, now = one.get(key), other.get(key)
        if was != now:
            out.append(Other(*key[:4], was, now))
    return out


class Same(NamedTuple):
    """Orders of one thing that come out otherwise in the same way: how many, and when the first was ordered."""

    on: str
    words: str
    times: int
    first_s: float


def alike(found: Sequence[Other]) -> list[Same]:
    """Return them counted, by when each sort comes first."""
    held: dict[tuple[str, str], list[float]] = {}
    for each in found:
        held.setdefault((each.on, each.words), []).append(each.at_s)
    return [Same(on, words, len(times), times[0]) for (on, words), times in held.items()]


def _by_order(lines: Sequence[Line]) -> dict[tuple[str, str, str, float, int], tuple[str, float | None]]:
    out: dict[tuple[str, str, str, float, int], tuple[str, float | None]] = {}
    for line in lines:
        if line.ordered_by is None:
            continue
        said = line.said
        count = 0
        while (key := (said["link"], said["do"], said["on"], said["at_s"], count)) in out:
            count += 1
        out[key] = (said["result"], said["from_s"])
    return out
