"""Where a head looks over a day: what its duty gives to whom, and what each of them does with it."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np

from lantern.core.ptz.duty import Call, Dropped, Entry, Manual, Plan, Stretch, duty
from lantern.core.ptz.head import Head
from lantern.core.ptz.rounds import Sheet, Step, steps_of, taken_up_s
from lantern.core.rule import TIME_TOLERANCE_S
from lantern.core.signals import Floats
from lantern.core.watch import Aim
from lantern.core.watching import Indices

NOWHERE = -1  # nobody knows where it looks
Course = tuple[tuple[float, Aim], ...]  # seconds from the beginning, rising, and where it looks from then on


class Asked(NamedTuple):
    """Something that calls it: `course`: where it would look if it were let."""

    at_s: float
    for_s: float
    do: str
    rank: int
    course: Course


@dataclass(frozen=True)
class Day:
    """`stretches` who had it when. Of n looks: `from_s`, `to_s` (n,), `look` (n,) the row of `aims` (m, 3) pan, tilt, zoom."""

    from_s: float
    to_s: float
    stretches: tuple[Stretch, ...]
    dropped: tuple[Dropped, ...]
    began_s: Floats
    ended_s: Floats
    look: Indices
    aims: Floats


@dataclass
class _Gathered:
    began_s: list[float] = field(default_factory=list)
    ended_s: list[float] = field(default_factory=list)
    look: list[int] = field(default_factory=list)
    rows: dict[Aim, int] = field(default_factory=dict)

    def row(self, aim: Aim) -> int:
        return self.rows.setdefault(aim, len(self.rows))

    def add(self, began: float, ended: float, row: int) -> None:
        """What lasts no longer than an instant is no look: it came there just as it was called away."""
        if ended - began <= TIME_TOLERANCE_S:
            return
        self.began_s.append(began)
        self.ended_s.append(ended)
        self.look.append(row)


@dataclass(frozen=True)
class Site:
    """What a day needs to know beside the sheet: the head, where it rests, and where its presets look."""

    head: Head
    rest: Aim
    looks: Mapping[int, Aim]


def day_of(
    sheet: Sheet,
    site: Site,
    hours: Sequence[Entry],
    calls: Sequence[Asked],
    manual: Sequence[Manual],
    *,
    from_s: float,
    to_s: float,
) -> Day:
    """Return a day. Raises `Refused` for something to do that is not there."""
    named = _named(calls)
    cap = sheet.call_most_s or math.inf
    plan = Plan(
        from_s=from_s,
        to_s=to_s,
        release_s=sheet.release_s,
        idle_after_s=sheet.idle_after_s,
        idle=sheet.idle,
        timetable=tuple(hours),
        calls=tuple(
            Call(at_s=each.at_s, for_s=min(each.for_s, cap), do=name, rank=each.rank) for name, each in named.items()
        ),
        manual=tuple(manual),
    )
    held = duty(plan)
    return Day(from_s, to_s, held.stretches, held.dropped, *_looked(sheet, site, held.stretches, named))


def _named(calls: Sequence[Asked]) -> dict[str, Asked]:
    """Each call by a name of its own: what it does, and the how manieth that is."""
    seen: Counter[str] = Counter()
    out = {}
    for each in sorted(calls, key=lambda call: call.at_s):
        seen[each.do] += 1
        out[f"{each.do} {seen[each.do]}"] = each
    return out


def _looked(
    sheet: Sheet, site: Site, stretches: Sequence[Stretch], named: Mapping[str, Asked]
) -> tuple[Floats, Floats, Indices, Floats]:
    out, last = _Gathered(), site.rest
    known: dict[str, tuple[Step, ...]] = {}
    due: dict[str, int] = {}  # of what is taken up again: the step that it goes on with
    for each in stretches:
        if each.by == "manual":
            continue
        if each.by == "none" or each.do is None:
            out.add(each.from_s, each.to_s, out.row(last))
        elif each.by == "call":
            last = _called(out, each, named[each.do], last)
        else:
            if each.do not in known:
                known[each.do] = steps_of(sheet, each.do, site.looks, site.head)
            due[each.do], last = _done(out, each, known[each.do], due.get(each.do, 0), last, site.head)
    aims = np.array(list(out.rows), dtype=np.float64).reshape(-1, 3)
    return np.array(out.began_s), np.array(out.ended_s), np.array(out.look, dtype=np.intp), aims


def _called(out: _Gathered, each: Stretch, call: Asked, last: Aim) -> Aim:
    times = [call.at_s + t for t, _ in call.course]
    ends = [*times[1:], math.inf]
    for (_, aim), begins, end in zip(call.course, times, ends, strict=True):
        start, stop = max(begins, each.from_s), min(end, each.to_s)
        if stop > start:
            out.add(start, stop, out.row(aim))
            last = aim
    return last


def _done(out: _Gathered, each: Stretch, steps: Sequence[Step], first: int, last: Aim, head: Head) -> tuple[int, Aim]:
    """Add what is done of a round in a stretch, from the step that is due on; returns which is due next, and where it looks."""
    turned = [*steps[first:], *steps[:first]]
    rows = [out.row(step.aim) for step in turned]
    t = each.from_s
    if last != turned[0].aim:
        t += taken_up_s(head, last, turned[0])
    at = 0
    while t < each.to_s - TIME_TOLERANCE_S:
        step = turned[at % len(turned)]
        ends = t + step.stay_s
        out.add(t, min(ends, each.to_s), rows[at % len(turned)])
        last = step.aim
        if ends > each.to_s + TIME_TOLERANCE_S:  # taken from it before it was done there: it is due again
            return (first + at) % len(steps), last
        at += 1
        t = ends + turned[at % len(turned)].go_s
    return (first + at) % len(steps), last


def made_up(
    courses: Sequence[Course],
    lengths_s: Sequence[float],
    per_hour: Sequence[float],
    *,
    do: str,
    rank: int,
    to_s: float,
    seed: int,
) -> list[Asked]:
    """Return the calls of a made-up day: so many in each hour of it in the mean, by chance, each as long as one of those that were
    measured, and looking as that did. `per_hour` (24,), from midnight on.
    """
    if not courses:
        return []
    rng = np.random.default_rng(seed)
    out = []
    for hour in range(math.ceil(to_s / 3600)):
        for at in np.sort(rng.uniform(hour * 3600, (hour + 1) * 3600, rng.poisson(per_hour[hour % 24]))).tolist():
            which = int(rng.integers(len(courses)))
            if at < to_s:
                out.append(Asked(round(at, 1), lengths_s[which], do, rank, courses[which]))
    return out
