"""Counts of verdicts that follow single raises as they come and go: the cheap half of an exact sweep.

Time falls into zones that judge alone: a cluster of overlapping `expect` windows (re-matched when something in it
changes), `ignore`, and the rest. A raise elsewhere changes one counter.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right, insort
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from lantern.core.rule import TIME_TOLERANCE_S
from lantern.core.scoring.marks import Mark, Slack, judge, within
from lantern.core.signals import Floats


class Counts(NamedTuple):
    """The result of one setting. The last is no column of a sweep's rows."""

    hits: int
    misses: int
    false_alarms: int
    repeats: int
    ignored: int
    median_delay_s: float | None
    longest_delay_s: float | None = None


SHOWN, ALL = 6, 7  # of the counts: those of a printed row, and the longest delay too
IGNORED, ELSEWHERE = -2, -1  # zones without marks that expect something; clusters are counted from 0


class _Cluster:
    """`expect` marks whose windows overlap, with the raises inside them."""

    def __init__(self, marks: list[Mark]) -> None:
        self.marks = marks
        self.raised: list[float] = []
        self.delays: list[float | None] = []

    def judged_delays(self, slack: Slack) -> list[float | None]:
        """One a hit; None of a mark of which nobody knows when it began."""
        if len(self.marks) == 1:  # the common case: the first raise hits, the rest repeat it
            return [self.marks[0].delay_s(t) for t in self.raised[:1]]
        judged = judge(self.raised, self.marks, slack)
        pairs = zip(self.raised, judged.hit_marks, strict=True)
        return [self.marks[i].delay_s(t) for t, i in pairs if i is not None]


class Tally:
    """Add and remove raise times; ask for the counts. Equal to `judge` over the raises that are in it."""

    def __init__(self, marks: Sequence[Mark], slack: Slack) -> None:
        self.slack = slack
        self.expected = sum(mark.label == "expect" for mark in marks)
        self.ignore = [mark for mark in marks if mark.label == "ignore"]
        self.clusters: list[_Cluster] = []
        self.starts: list[float] = []
        self.ends: list[float] = []
        for mark in sorted((m for m in marks if m.label == "expect"), key=lambda m: m.from_s):
            start = mark.from_s - slack.early_s - TIME_TOLERANCE_S
            end = mark.end_s + slack.late_s + TIME_TOLERANCE_S
            if self.ends and start <= self.ends[-1]:
                self.clusters[-1].marks.append(mark)
                self.ends[-1] = max(self.ends[-1], end)
            else:
                self.clusters.append(_Cluster([mark]))
                self.starts.append(start)
                self.ends.append(end)
        self.false_alarms = 0
        self.ignored = 0
        self.inside = 0  # raises in any cluster
        self.hits = 0
        self.delays: list[float] = []  # of hits on marks that say when they begin, sorted
        self.dirty: set[int] = set()

    def add(self, t: float) -> None:
        self.change(self._zone(t), t, 1)

    def zones(self, t_s: Floats) -> list[int]:
        """(n,): the zone of each time. Raises that move within `IGNORED` or `ELSEWHERE` change no count."""
        zones: list[int] = self.zones_at(t_s).tolist()
        return zones

    def zones_at(self, t_s: Floats) -> NDArray[np.int32]:
        """The same for millions of times."""
        starts, ends = np.array(self.starts), np.array(self.ends)
        at = np.searchsorted(starts, t_s, side="right") - 1
        inside = (at >= 0) & (t_s <= ends[np.maximum(at, 0)]) if ends.size else np.zeros(t_s.size, dtype=np.bool_)
        ignored = np.zeros(t_s.size, dtype=np.bool_)
        for mark in self.ignore:
            ignored |= (t_s >= mark.start_s - TIME_TOLERANCE_S) & (t_s <= mark.end_s + TIME_TOLERANCE_S)
        return np.where(inside, at, np.where(ignored, IGNORED, ELSEWHERE)).astype(np.int32)

    def shift(self, zone: int, before: float, after: float) -> None:
        """One raise moves within a zone, as the steps of one mostly do."""
        if zone < 0:
            return
        cluster = self.clusters[zone]
        raised = cluster.raised
        first = raised[0]
        if len(raised) == 1:
            raised[0] = after
        else:
            del raised[bisect_left(raised, before)]
            insort(raised, after)
        if before == first or after <= first or len(cluster.marks) > 1:  # else it was a repeat, and is one
            self.dirty.add(zone)

    def _zone(self, t: float) -> int:
        at = bisect_right(self.starts, t) - 1
        if at >= 0 and t <= self.ends[at]:
            return at
        return IGNORED if any(within(t, mark.start_s, mark.end_s) for mark in self.ignore) else ELSEWHERE

    def change(self, zone: int, t: float, by: int) -> None:
        """A raise in a known zone comes (1) or goes (-1)."""
        if zone == ELSEWHERE:
            self.false_alarms += by
        elif zone == IGNORED:
            self.ignored += by
        else:
            raised = self.clusters[zone].raised
            if by > 0:
                insort(raised, t)
            else:
                del raised[bisect_left(raised, t)]
            self.inside += by
            self.dirty.add(zone)

    def counts(self) -> Counts:
        for at in self.dirty:
            cluster = self.clusters[at]
            fresh = cluster.judged_delays(self.slack)
            if fresh != cluster.delays:
                for delay in cluster.delays:
                    if delay is not None:
                        del self.delays[bisect_left(self.delays, delay)]
                for delay in fresh:
                    if delay is not None:
                        insort(self.delays, delay)
                self.hits += len(fresh) - len(cluster.delays)
                cluster.delays = fresh
        self.dirty.clear()
        hits, known = self.hits, len(self.delays)
        middle = None if known == 0 else (self.delays[(known - 1) // 2] + self.delays[known // 2]) / 2
        longest = self.delays[-1] if self.delays else None
        return Counts(hits, self.expected - hits, self.false_alarms, self.inside - hits, self.ignored, middle, longest)
