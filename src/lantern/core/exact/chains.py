"""The dials of a decision that sweep exactly, each as a chain of raises that follows one dial.

Level: how far below the threshold stands, so that it rises while the threshold falls. Hysteresis, sustain, clear and
re-arm time: the dial itself. In each, `find` says how far the dial may go before this link of the chain changes.
"""

from __future__ import annotations

import math
from bisect import bisect_left
from typing import Literal

import numpy as np

from lantern.core.exact.chain import Chain, Clock, FirstAbove, Found
from lantern.core.rule import TIME_TOLERANCE_S, Rule, levels
from lantern.core.signals import Floats, Series
from lantern.core.watching import Bools, compare, has_held, sliding_least, watched

NEAR = 24  # samples that are looked at one by one

Swept = Literal["level", "hysteresis", "sustain_s", "clear_s", "rearm_s"]


class _Watching(Chain):
    """The part that all chains look at."""

    def __init__(self, series: Series, rule: Rule, clock: Clock) -> None:
        super().__init__(clock, rule)
        self.watching = watched(series, rule)
        self.starts, self.ends, self.last_of = clock.starts, clock.ends, clock.last_of
        self.level, self.stay, self.closed = levels(rule)
        self.prepare(series.t_s)

    due: list[int]

    def prepare(self, t_s: Floats) -> None:
        """Lay out what `find` needs."""

    def following(self, raised: int, cleared: int) -> int:
        """The first due sample after the clear and the re-arm time: up to it, a later clear changes nothing."""
        after = max(cleared, self.clock.rearmed[raised])
        return self.due[after] if after < self.n else self.n

    def next_due(self, t_s: Floats) -> list[int]:
        """Return for each sample the first from it on at which a raise is due; n where there is none."""
        holds = compare(self.watching, self.level, closed=self.closed)
        return _next(has_held(holds, t_s, self.starts, self.rule.sustain_s))

    def resumes(self, t_s: Floats) -> list[int]:
        """Return for each sample, were it raised there, the one at which it clears, or the first after the frames that
        were lost.
        """
        failing = ~compare(self.watching, self.stay, closed=self.closed)
        cleared = np.array(_next(has_held(failing, t_s, self.starts, self.rule.clear_s)))
        resumes: list[int] = np.where(cleared <= self.ends, cleared, self.ends + 1).tolist()
        return resumes


class LevelChain(_Watching):
    """With `sustained` the least of the watched number over the sustain time, and `lasting` the greatest over the clear
    time, a raise is the first sample whose `sustained` is above the threshold, and its clear the first from there whose
    `lasting` is at or below the threshold less the hysteresis.
    """

    def prepare(self, t_s: Floats) -> None:
        sustained = _least_since(self.watching, self.clock, self.rule.sustain_s)
        self.raises = FirstAbove(sustained)
        self._before: dict[int, tuple[int, float]] = {}
        self.over = FirstAbove(-(_lasting(self.watching, self.clock, self.rule.clear_s) + self.rule.hysteresis))

    def find(self, start: int, level: float) -> Found:
        raised, passed = self.raises.find(start, -level)
        if raised >= self.n:
            return Found((), self.n, -passed)
        return self._cleared(raised, passed, level, self.over.find(raised, level)[0])

    def find_again(self, start: int, level: float, before: Found) -> Found:
        """Return what a search gives, looking first at a slope: there the raise moves to the sample before, and the clear stays."""
        if not before.raises:
            return self.find(start, level)
        first = raised = before.raises[0]
        values, base = self.raises.tree, self.raises.size
        while raised > start and values[base + raised - 1] > -level:
            raised -= 1
        # most of what lies before is kept, for the next raise will be a little earlier still
        stop, passed = self._before.get(start, (-1, 0.0))
        if not start <= stop <= raised:
            stop = max(start, raised - NEAR)
            passed = self.raises.greatest(start, stop)
            self._before[start] = stop, passed
        if stop < raised:
            near = max(values[base + stop : base + raised])
            passed = max(passed, near)
        if passed > -level:  # further back, not on this slope
            return self.find(start, level)
        values, base = self.over.tree, self.over.size
        for cleared in range(raised, first):
            if values[base + cleared] > level:
                break
        else:
            cleared = before.cleared
            if cleared < self.n and values[base + cleared] <= level:
                cleared, _ = self.over.find(cleared + 1, level)
        return self._cleared(raised, passed, level, cleared)

    def _cleared(self, raised: int, passed: float, level: float, cleared: int) -> Found:
        last = self.last_of[raised]
        if cleared > last:
            return self.raised_at(raised, last + 1, -passed, cleared)
        held = self.over.tree[self.over.size + cleared]
        return self.raised_at(raised, cleared, held if held < -passed else -passed, cleared)


class HysteresisChain(_Watching):
    """Raises that are due stay due; each clear moves back as the hysteresis grows."""

    def prepare(self, t_s: Floats) -> None:
        self.due = self.next_due(t_s)  # where nothing else is due, a later clear changes nothing
        # cleared where lasting <= level - hysteresis
        self.over = FirstAbove(self.level - _lasting(self.watching, self.clock, self.rule.clear_s))

    def find(self, start: int, level: float) -> Found:
        raised = self.due[start]
        if raised >= self.n:
            return Found((), self.n, math.inf)
        last = self.last_of[raised]
        cleared, _ = self.over.find(raised, level)
        if cleared > last:
            return self.raised_at(raised, last + 1, math.inf)
        if self.rule.repeat:
            return self.raised_at(raised, cleared, self.over.tree[self.over.size + cleared])
        following = self.following(raised, cleared)
        return Found((raised,), following, self.over.greatest(raised, min(following, last) + 1))


class SustainChain(_Watching):
    """The runs of the condition are fixed; longer times drop and delay raises."""

    def prepare(self, t_s: Floats) -> None:
        holds = compare(self.watching, self.level, closed=self.closed)
        self.runs = _Runs(holds, self.clock)
        self.resume = self.resumes(t_s)

    def find(self, start: int, level: float) -> Found:
        raised, bound = self.runs.find(start, level)
        if raised >= self.n:
            return Found((), self.n, math.inf)
        return self.raised_at(raised, self.resume[raised], bound)


class ClearChain(_Watching):
    """The runs of the failing condition are fixed; longer times drop and delay clears."""

    def prepare(self, t_s: Floats) -> None:
        self.due = self.next_due(t_s)
        self.runs = _Runs(~compare(self.watching, self.stay, closed=self.closed), self.clock)

    def find(self, start: int, level: float) -> Found:
        raised = self.due[start]
        if raised >= self.n:
            return Found((), self.n, math.inf)
        last = self.last_of[raised]
        cleared, bound = self.runs.find(raised, level)
        if cleared > last:
            return self.raised_at(raised, last + 1, math.inf)
        if self.rule.repeat:
            return self.raised_at(raised, cleared, bound)
        following = self.following(raised, cleared)
        return Found((raised,), following, self.runs.longest_until(cleared, min(following, last)))


class RearmChain(_Watching):
    """Due samples and clears are fixed; a longer re-arm time passes over due samples."""

    def prepare(self, t_s: Floats) -> None:
        self.due = self.next_due(t_s)
        self.resume = self.resumes(t_s)

    def find(self, start: int, level: float) -> Found:
        raised = self.due[start]
        if raised >= self.n:
            return Found((), self.n, math.inf)
        times, n, resume, again = self.times, self.n, self.resume[raised], self._from(raised, level)
        if not self.rule.repeat:
            after = resume if resume > again else again
            following = self.due[after] if after < n else n
            return Found((raised,), following, times[following] - times[raised] if following < n else math.inf)
        raises, bound = [raised], math.inf
        while again < resume:
            bound = min(bound, times[again] - times[raises[-1]])
            raises.append(again)
            again = self._from(again, level)
        after = max(resume, again)
        following = self.due[after] if after < self.n else self.n
        # a repeat that a longer time pushes out of the event would count as well, so the clear bounds it too
        if following < self.n:
            bound = min(bound, times[following] - times[raises[-1]])
        return Found(tuple(raises), following, bound)

    def _from(self, raised: int, rearm_s: float) -> int:
        return bisect_left(self.times, self.times[raised] + rearm_s - TIME_TOLERANCE_S / 2, raised + 1)


CHAINS: dict[Swept, type[_Watching]] = {
    "level": LevelChain,
    "hysteresis": HysteresisChain,
    "sustain_s": SustainChain,
    "clear_s": ClearChain,
    "rearm_s": RearmChain,
}


class _Runs:
    """Unbroken runs of a condition: where, from a sample on, one has first lasted so long."""

    def __init__(self, holds: Bools, clock: Clock) -> None:
        self.n, self.times = clock.n, clock.times
        t_s, starts = clock.t_s, clock.starts
        index = np.arange(self.n)
        first = holds & ~np.concatenate(([False], holds[:-1])) | (holds & (index == starts))
        self.first: list[int] = np.flatnonzero(first).tolist()
        final = holds & np.concatenate((~holds[1:] | (starts[1:] != starts[:-1]), [True]))
        self.last: list[int] = np.flatnonzero(final).tolist()
        durations = t_s[self.last] - t_s[self.first] if self.first else np.full(1, -np.inf)
        self.long_enough = FirstAbove(np.nextafter(durations, np.inf))
        self.run_of: list[int] = (np.cumsum(first) - 1).tolist()

    def find(self, start: int, least_s: float) -> tuple[int, float]:
        """(sample, the longest time for which it stays so); (n, inf) where there is none."""
        at = max(self.run_of[start], 0)
        if at < len(self.last) and self.last[at] < start:
            at += 1
        while True:
            at, _ = self.long_enough.find(at, least_s)
            if at >= len(self.first):
                return self.n, math.inf
            began = self.times[self.first[at]]
            reached = max(start, self._first_at(self.first[at], began, least_s))
            if reached <= self.last[at]:
                return reached, self.times[reached] - began
            at += 1

    def longest_until(self, reached: int, until: int) -> float:
        """Return for how long a time the run in which `reached` lies is still found no later than `until`."""
        at = self.run_of[reached]
        return self.times[min(until, self.last[at])] - self.times[self.first[at]]

    def _first_at(self, first: int, began: float, least_s: float) -> int:
        at = max(first, bisect_left(self.times, began + least_s - TIME_TOLERANCE_S / 2, first))
        while at < self.n and self.times[at] - began < least_s:
            at += 1
        return at


def _next(flags: Bools) -> list[int]:
    """Return for each sample the first flagged one from it on; n where there is none."""
    where = np.where(flags, np.arange(flags.size), flags.size)
    following: list[int] = np.minimum.accumulate(where[::-1])[::-1].tolist()
    return following


def _lasting(watching: Floats, clock: Clock, clear_s: float) -> Floats:
    return -_least_since(-watching, clock, clear_s)


def _least_since(x: Floats, clock: Clock, least_s: float) -> Floats:
    """The least x at every sample since one at least `least_s` earlier; -inf where the stretch is not that long yet."""
    first, starts = clock.since(least_s), clock.starts
    return np.where(first >= starts, sliding_least(x, np.maximum(first, starts)), -np.inf)
