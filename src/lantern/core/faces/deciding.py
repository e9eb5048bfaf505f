"""From looks to raises: the best candidate of each list, when a candidate is due, and how long who has raised is held off.

One machine for takes and live: `Seen.take` is asked with one qualifying look after the other.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from lantern.core.faces.detector import FaceList
from lantern.core.faces.dials import FaceDials
from lantern.core.faces.looks import Looks
from lantern.core.rearm import rearmed
from lantern.core.rule import TIME_TOLERANCE_S
from lantern.core.signals import Floats
from lantern.core.watching import Bools, Indices

Outcome = Literal["raised", "held_off", "too_few"]


@dataclass(frozen=True)
class Best:
    """Of one list: `score` (n,) the highest of its members in each look, minus infinity where there is none; `row` (n,): where
    it stands, of equals the first; -1 where there is none.
    """

    score: Floats
    row: Indices


def best_of(looks: Looks, members: Iterable[str]) -> Best:
    """Return a list's best in each look."""
    wanted = set(members)
    on_it = np.array([word in wanted for word in looks.candidate.words], dtype=np.bool_)
    rows = np.flatnonzero(on_it[looks.candidate.code]) if on_it.size else np.zeros(0, dtype=np.intp)
    score, row = np.full(len(looks), -np.inf), np.full(len(looks), -1, dtype=np.intp)
    if rows.size:
        look = looks.look[rows]
        starts = np.flatnonzero(np.diff(look, prepend=-1))
        there = look[starts]
        score[there] = np.maximum.reduceat(looks.score[rows], starts)
        top = np.flatnonzero(looks.score[rows] == score[look])  # of each look the first of these
        _, earliest = np.unique(look[top], return_index=True)
        row[there] = rows[top[earliest]]
    return Best(score, row)


@dataclass
class Seen:
    """One candidate on one list: `since` holds the looks that qualify since the last raise, as far back as they matter."""

    since: deque[float] = field(default_factory=deque)
    raised_s: float | None = None
    last_s: float | None = None  # the last look that kept it held off
    held: bool = False

    def take(self, t: float, dials: FaceDials) -> Outcome:
        """A look qualifies; returns what becomes of it."""
        if self.held and self._is_over(t, dials):
            self.held = False
        if self.held:
            self.last_s = t
        self.since.append(t)
        while len(self.since) > dials.min_looks or t - self.since[0] > dials.looks_within_s + TIME_TOLERANCE_S:
            self.since.popleft()
        if len(self.since) < dials.min_looks:
            return "too_few"
        if self.held:
            return "held_off"
        self.raised_s = self.last_s = t
        self.held = True
        self.since.clear()
        return "raised"

    def _is_over(self, t: float, dials: FaceDials) -> bool:
        """Return whether the hold-off has ended by now: out of sight for long enough, or long enough ago that it raised."""
        again = dials.reannounce_s > 0 and rearmed(t, self.raised_s, dials.reannounce_s)
        return again or rearmed(t, self.last_s, dials.holdoff_s)

    @property
    def latest_s(self) -> float:
        """Return when something last became of it."""
        known = (*self.since, self.raised_s, self.last_s)
        return max((t for t in known if t is not None), default=-np.inf)

    def shift(self, seconds: float) -> None:
        self.since = deque(t + seconds for t in self.since)
        self.raised_s = None if self.raised_s is None else self.raised_s + seconds
        self.last_s = None if self.last_s is None else self.last_s + seconds


def outcomes(times: Iterable[float], dials: FaceDials) -> list[Outcome]:
    """Return what becomes of each qualifying look of one candidate on one list, in order of time."""
    seen = Seen()
    return [seen.take(t, dials) for t in times]


def dials_of(held: FaceList, dials: FaceDials) -> FaceDials:
    """Return the dials that hold for a list: with its own hold-off, where it has one."""
    return dials if held.holdoff_s is None else dials.model_copy(update={"holdoff_s": held.holdoff_s})


def threshold_of(held: FaceList, dials: FaceDials) -> float:
    return dials.threshold if held.threshold is None else held.threshold


def on_none(bests: Sequence[Best], thresholds: Sequence[float], count: int) -> Bools:
    """(count,): the looks whose best in each list is below its threshold; one without a row of a list passes it."""
    out = np.ones(count, dtype=np.bool_)
    for best, threshold in zip(bests, thresholds, strict=True):
        out &= best.score < threshold
    return out


def rearmed_looks(t_s: Floats, passes: Iterable[int], rearm_s: float) -> list[int]:
    """Return those of the looks that raise: the others come too soon after one that did."""
    last: float | None = None
    out = []
    for look in passes:
        t = float(t_s[look])
        if rearmed(t, last, rearm_s):
            last = t
            out.append(look)
    return out
