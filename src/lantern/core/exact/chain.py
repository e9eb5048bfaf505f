"""A chain of raises that is kept up to date while one dial moves, instead of being worked out anew for each value.

At a fixed value a decision is a chain: search from a sample, raise, clear, search on from the sample where a fresh raise
may come. Each link stays as it is until the dial passes the link's own *bound*. So a sweep takes the link with the
nearest bound from a heap, works out that link again and those after it until the new chain meets the old one, and goes
on. The work follows what changes, not the number of distinct readings.
"""

from __future__ import annotations

import heapq
import math
from abc import ABC, abstractmethod
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import count
from typing import NamedTuple

import numpy as np

from lantern.core.rule import TIME_TOLERANCE_S, Rule
from lantern.core.signals import Floats, Series
from lantern.core.watching import Indices, gaps, stretch_starts


class Found(NamedTuple):
    """What a search gives: the raises (a repeat is one too), where to search on, and the level up to which this holds.

    `cleared`: where the clear was looked for and found, for a search that goes on from this one.
    """

    raises: tuple[int, ...]
    resume: int
    bound: float
    cleared: int = 0


@dataclass(slots=True)
class _Link:
    start: int
    found: Found
    following: _Link | None = None
    alive: bool = True


class Step(NamedTuple):
    """A step of a search: at levels up to `bound` all stays as it is; just above it, raises of a chain (sample indices) come and
    others go.
    """

    bound: float
    chain: Chain
    came: Sequence[int]
    went: Sequence[int]


class Clock:
    """The samples' times, laid out once for all regions that share them.

    `starts` (n,): for each sample the first of its stretch; `ends` (n,): the last one before frames are lost, which clears.
    """

    def __init__(self, series: Series, rule: Rule) -> None:
        self.t_s, self._paused_s = series.t_s, series.paused_s
        self.gap_s, self.rearm_s = rule.gap_s, rule.rearm_s
        self.times: list[float] = series.t_s.tolist()
        self.n = len(self.times)
        self.starts = stretch_starts(series, rule.gap_s)
        lost = np.append(np.flatnonzero(gaps(series, rule.gap_s)), self.n - 1)
        self.ends = lost[np.searchsorted(lost, np.arange(self.n))]
        self.last_of: list[int] = self.ends.tolist()
        self._since: dict[float, Indices] = {}

    def fits(self, series: Series, rule: Rule) -> bool:
        same = series.t_s is self.t_s and (rule.gap_s, rule.rearm_s) == (self.gap_s, self.rearm_s)
        return same and np.array_equal(series.paused_s, self._paused_s)

    def since(self, least_s: float) -> Indices:
        """(n,): the last sample at least so long before each; -1 where there is none."""
        if least_s not in self._since:
            before = np.searchsorted(self.t_s, self.t_s - least_s + TIME_TOLERANCE_S, side="right") - 1
            self._since[least_s] = before
        return self._since[least_s]

    @cached_property
    def rearmed(self) -> list[int]:
        """Return for each sample, were it raised there, the first from which a fresh raise may come."""
        due = np.searchsorted(self.t_s, self.t_s + self.rearm_s - TIME_TOLERANCE_S)
        after: list[int] = np.maximum(np.arange(self.n) + 1, due).tolist()
        return after


class Chain(ABC):
    """The raises of one series at the present level. Levels only rise; what a level means is the subclass's."""

    def __init__(self, clock: Clock, rule: Rule) -> None:
        self.clock, self.times, self.n = clock, clock.times, clock.n
        self.rule = rule
        self._heap: list[tuple[float, int, _Link]] = []
        self._order = count()  # breaks ties, so that links are never compared

    @abstractmethod
    def find(self, start: int, level: float) -> Found:
        """Search from sample `start` at this level."""

    def find_again(self, start: int, level: float, before: Found) -> Found:
        """The same, when `before` is what the last search from there gave, at a lower level."""
        return self.find(start, level)

    def begin(self, level: float) -> list[int]:
        """Build the chain at the first level; gives its raises."""
        came: list[int] = []
        self._extend(None, 0, level, None, came, [])
        return came

    def steps(self, last: float, resolution: float) -> Iterator[Step]:
        """Return what changes as the level rises to `last`, one link after the other."""
        heap, order = self._heap, self._order
        while heap and heap[0][0] < last:
            bound, _, link = heap[0]
            if not link.alive:
                heapq.heappop(heap)
                continue
            before = link.found
            after = link.found = self.find_again(link.start, bound + resolution, before)
            heapq.heapreplace(heap, (after.bound, next(order), link))
            moved = after.raises != before.raises
            if after.resume != before.resume:
                came, went = (list(after.raises), list(before.raises)) if moved else ([], [])
                self._extend(link, after.resume, bound + resolution, link.following, came, went)
                if came or went:
                    yield Step(bound, self, came, went)
            elif moved:
                yield Step(bound, self, after.raises, before.raises)

    def raised_at(self, raised: int, resume: int, bound: float, cleared: int = 0) -> Found:
        """A raise with its repeats before `resume`; the next search starts after the clear and after the re-arm time."""
        after = self.clock.rearmed
        rearmed = after[raised]
        if not self.rule.repeat:
            return Found((raised,), resume if resume > rearmed else rearmed, bound, cleared)
        raises = [raised]
        while rearmed < resume:
            raises.append(rearmed)
            rearmed = after[rearmed]
        return Found(tuple(raises), max(resume, rearmed), bound, cleared)

    def _extend(
        self, last: _Link | None, start: int, level: float, old: _Link | None, came: list[int], went: list[int]
    ) -> None:
        """Go on from `start` until the chain ends or meets the old one; drop what the old one had in between."""
        while True:
            while old is not None and old.start < start:
                old.alive = False
                went += old.found.raises
                old = old.following
            if start >= self.n or (old is not None and old.start == start):
                break
            found = self.find(start, level)
            link = _Link(start, found)
            came += found.raises
            heapq.heappush(self._heap, (found.bound, next(self._order), link))
            if last is not None:
                last.following = link
            last, start = link, found.resume
        if last is not None:
            last.following = old


class FirstAbove:
    """Finds the first index from `start` on whose value is above a level, and the greatest value that was passed over."""

    def __init__(self, values: Floats) -> None:
        self.n = values.size
        self.size = 1 << max(0, (self.n - 1).bit_length())
        tree = np.full(2 * self.size, -np.inf)
        tree[self.size : self.size + self.n] = values
        width = self.size
        while width > 1:
            tree[width // 2 : width] = np.maximum(tree[width : 2 * width : 2], tree[width + 1 : 2 * width : 2])
            width //= 2
        self.tree: list[float] = tree.tolist()

    def find(self, start: int, level: float) -> tuple[int, float]:
        """(index, or n if there is none; greatest value in between, -inf if nothing was passed over)."""
        tree, size, passed = self.tree, self.size, -math.inf
        if start >= self.n:
            return self.n, passed
        node = start + size
        while True:
            # climb to the largest block that begins here (node & -node: how often it can be halved)
            node //= node & -node
            value = tree[node]
            if value > level:
                while node < size:
                    node *= 2
                    value = tree[node]
                    if value <= level:
                        if value > passed:  # noqa: PLR1730 - max() costs a call in the innermost loop
                            passed = value
                        node += 1
                return node - size, passed
            if value > passed:  # noqa: PLR1730
                passed = value
            node += 1
            if node & (node - 1) == 0:  # ran off the right edge of its level
                return self.n, passed

    def greatest(self, start: int, stop: int) -> float:
        """The greatest value from `start` up to, not including, `stop`; -inf where there is none."""
        tree, best = self.tree, -math.inf
        low, high = start + self.size, min(stop, self.n) + self.size
        while low < high:
            if low & 1:
                if tree[low] > best:  # noqa: PLR1730
                    best = tree[low]
                low += 1
            if high & 1:
                high -= 1
                if tree[high] > best:  # noqa: PLR1730
                    best = tree[high]
            low >>= 1
            high >>= 1
        return best
