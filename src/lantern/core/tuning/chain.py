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
from bisect import bisect_left
from dataclasses import dataclass
from itertools import count
from typing import NamedTuple

import numpy as np

from lantern.core.rule import TIME_TOLERANCE_S, Rule
from lantern.core.signals import Floats


class Found(NamedTuple):
    """What a search gives: the raises (a repeat is one too), where to search on, and the level up to which this holds."""

    raises: tuple[int, ...]
    resume: int
    bound: float


@dataclass(slots=True)
class _Link:
    start: int
    found: Found
    following: _Link | None = None
    alive: bool = True


@dataclass(slots=True)
class Difference:
    """Raise times in s that came, and those that went."""

    came: list[float]
    went: list[float]


class Chain(ABC):
    """The raises of one series at the present level. Levels only rise; what a level means is the subclass's."""

    def __init__(self, t_s: Floats, rule: Rule) -> None:
        self.times: list[float] = t_s.tolist()
        self.n = len(self.times)
        self.rule = rule
        self._heap: list[tuple[float, int, _Link]] = []
        self._order = count()  # breaks ties, so that links are never compared

    @abstractmethod
    def find(self, start: int, level: float) -> Found:
        """Search from sample `start` at this level."""

    def begin(self, level: float) -> Difference:
        """Build the chain at the first level."""
        return self._extend(None, 0, level, None)

    @property
    def next_bound(self) -> float:
        """The last level at which all stays as it is; infinite when nothing will change."""
        while self._heap and not self._heap[0][2].alive:
            heapq.heappop(self._heap)
        return self._heap[0][0] if self._heap else math.inf

    def move(self, level: float) -> Difference:
        """Raise the level and bring the chain up to date."""
        difference = Difference([], [])
        heap, times = self._heap, self.times
        while self.next_bound < level:
            link = heap[0][2]
            before = link.found
            after = link.found = self.find(link.start, level)
            heapq.heapreplace(heap, (after.bound, next(self._order), link))
            if after.raises != before.raises:
                difference.went += [times[i] for i in before.raises]
                difference.came += [times[i] for i in after.raises]
            if after.resume != before.resume:
                rest = self._extend(link, after.resume, level, link.following)
                difference.came += rest.came
                difference.went += rest.went
        return difference

    def raised_at(self, raised: int, resume: int, bound: float) -> Found:
        """A raise with its repeats before `resume`; the next search starts after the clear and after the re-arm time."""
        rearmed = self.rearmed(raised)
        if not self.rule.repeat:
            return Found((raised,), resume if resume > rearmed else rearmed, bound)
        raises = [raised]
        while rearmed < resume:
            raises.append(rearmed)
            rearmed = self.rearmed(rearmed)
        return Found(tuple(raises), max(resume, rearmed), bound)

    def rearmed(self, raised: int) -> int:
        due = self.times[raised] + self.rule.rearm_s - TIME_TOLERANCE_S
        return max(raised + 1, bisect_left(self.times, due, raised))

    def _times_of(self, link: _Link) -> list[float]:
        return [self.times[i] for i in link.found.raises]

    def _push(self, link: _Link) -> None:
        heapq.heappush(self._heap, (link.found.bound, next(self._order), link))

    def _extend(self, last: _Link | None, start: int, level: float, old: _Link | None) -> Difference:
        """Go on from `start` until the chain ends or meets the old one; drop what the old one had in between."""
        difference = Difference([], [])
        while True:
            while old is not None and old.start < start:
                old.alive = False
                difference.went += self._times_of(old)
                old = old.following
            if start >= self.n or (old is not None and old.start == start):
                break
            link = _Link(start, self.find(start, level))
            difference.came += self._times_of(link)
            self._push(link)
            if last is not None:
                last.following = link
            last, start = link, link.found.resume
        if last is not None:
            last.following = old
        return difference


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
                best = max(best, tree[low])
                low += 1
            if high & 1:
                high -= 1
                best = max(best, tree[high])
            low >>= 1
            high >>= 1
        return best
