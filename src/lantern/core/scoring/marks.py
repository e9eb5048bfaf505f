"""Marks against raises: which hit, repeat, are ignored or false, and which marks were missed."""

from __future__ import annotations

import heapq
import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Literal

from lantern.core.rule import TIME_TOLERANCE_S

Label = Literal["expect", "quiet", "ignore"]
Verdict = Literal["hit", "repeat", "ignored", "false"]
LABELS: tuple[Label, ...] = ("expect", "quiet", "ignore")


@dataclass(frozen=True, slots=True)
class Mark:
    """A label on a stretch of a take, in s from its start. An empty detector means any.

    `lead_s`: nobody said when it began. A raise up to so long before its start hits it as well, and no delay is told of it.
    """

    start_s: float
    end_s: float
    label: Label
    detector: str = ""
    note: str = ""
    lead_s: float = 0.0

    @property
    def from_s(self) -> float:
        """Return when a raise may hit it at the earliest, without slack."""
        return self.start_s - self.lead_s

    def delay_s(self, raised_s: float) -> float | None:
        """Return how long after its start something raised that hit it; None where nobody knows when it began."""
        return None if self.lead_s else round(raised_s - self.start_s, 6)

    def concerns(self, detector: str) -> bool:
        return self.detector in ("", detector)


@dataclass(frozen=True, slots=True)
class Slack:
    """How early before a mark's start and how late after its end an event still hits it, in s."""

    early_s: float = 0.0
    late_s: float = 0.0


@dataclass(frozen=True)
class Judgement:
    """Each event's verdict, the mark it hit (index into the marks), and the marks never hit."""

    verdicts: tuple[Verdict, ...]
    hit_marks: tuple[int | None, ...]
    missed: tuple[int, ...]


def within(t: float, start_s: float, end_s: float) -> bool:
    """Closed interval, with the tolerance that holds for all times."""
    return start_s - TIME_TOLERANCE_S <= t <= end_s + TIME_TOLERANCE_S


def judge(raised_s: Sequence[float], marks: Sequence[Mark], slack: Slack = Slack()) -> Judgement:
    """Judge raises, in order of time, against marks.

    A raise inside an `expect` mark (widened by the slack) hits: of the marks not yet hit the one that ends first; this
    gives the most hits possible. Further raises there are repeats. Elsewhere: ignored inside an `ignore` mark, else false.
    """
    coming = sorted((m.from_s - slack.early_s, m.end_s, i) for i, m in enumerate(marks) if m.label == "expect")
    ignored = [m for m in marks if m.label == "ignore"]
    waiting: list[tuple[float, float, int]] = []  # begun and not hit, by end
    begun, reached = 0, -math.inf  # how many have begun, and how far the farthest of them reaches
    hit: set[int] = set()
    verdicts: list[Verdict] = []
    hit_marks: list[int | None] = []
    for t in raised_s:
        while begun < len(coming) and coming[begun][0] - TIME_TOLERANCE_S <= t:
            _, end_s, i = coming[begun]
            heapq.heappush(waiting, (end_s, marks[i].start_s, i))
            reached = max(reached, end_s + slack.late_s)
            begun += 1
        while waiting and t > waiting[0][0] + slack.late_s + TIME_TOLERANCE_S:
            heapq.heappop(waiting)
        free = heapq.heappop(waiting)[2] if waiting else None
        if free is not None:
            hit.add(free)
            verdicts.append("hit")
        elif t <= reached + TIME_TOLERANCE_S:
            verdicts.append("repeat")
        elif any(within(t, m.start_s, m.end_s) for m in ignored):
            verdicts.append("ignored")
        else:
            verdicts.append("false")
        hit_marks.append(free)
    missed = sorted(i for _, _, i in coming if i not in hit)
    return Judgement(tuple(verdicts), tuple(hit_marks), tuple(missed))


def exposure_s(length_s: float, marks: Iterable[Mark]) -> float:
    """The take's length less the union of `expect` and `ignore` marks (as they stand, within the take)."""
    covered, reached = 0.0, 0.0
    for start, end in sorted((m.start_s, m.end_s) for m in marks if m.label != "quiet"):
        start, end = max(start, reached, 0.0), min(end, length_s)
        if end > start:
            covered += end - start
            reached = end
    return max(length_s - covered, 0.0)
