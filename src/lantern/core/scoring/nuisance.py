"""What false alarms were of, by what somebody wrote down: the note of the quiet mark that each lies in."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from itertools import pairwise

from lantern.core.rule import TIME_TOLERANCE_S
from lantern.core.scoring.marks import Mark, Verdict, within

ELSEWHERE = "nobody said of what"


def by_note(raised_s: Sequence[float], verdicts: Sequence[Verdict], marks: Sequence[Mark]) -> list[tuple[str, int]]:
    """Return (note, so many) of the false alarms, the most first; of those that no note speaks of last. Of two marks that overlap the
    shorter says it.
    """
    quiet = _noted(marks)
    counts: Counter[str] = Counter()
    for t, verdict in zip(raised_s, verdicts, strict=True):
        if verdict == "false":
            counts[_said(t, quiet)] += 1
    if set(counts) <= {ELSEWHERE}:
        return []  # no note says anything: the card's number is all there is
    return sorted(counts.items(), key=lambda each: (each[0] == ELSEWHERE, -each[1], each[0]))


def of_one(marks: Sequence[Mark], note: str, length_s: float) -> list[Mark]:
    """Return marks by which only the false alarms of one note count, as `by_note` tells them: whatever lies elsewhere is ignored. What
    should raise is asked for as before.
    """
    quiet = _noted(marks)
    edges = sorted({0.0, length_s, *(edge for mark in quiet for edge in (mark.start_s, mark.end_s))})
    apart = 2 * TIME_TOLERANCE_S

    def ignored(a: float, b: float) -> Mark:
        """Without those of its edges that belong to the note."""
        return Mark(a + apart * (_said(a, quiet) == note), b - apart * (_said(b, quiet) == note), "ignore")

    others = [(a, b) for a, b in pairwise(edges) if _said((a + b) / 2, quiet) != note]
    return [*marks, *(ignored(a, b) for a, b in others if b - a > 2 * apart)]


def _noted(marks: Sequence[Mark]) -> list[Mark]:
    """The shortest first."""
    noted = (mark for mark in marks if mark.label == "quiet" and mark.note)
    return sorted(noted, key=lambda each: each.end_s - each.start_s)


def _said(t: float, quiet: Sequence[Mark]) -> str:
    return next((mark.note for mark in quiet if within(t, mark.start_s, mark.end_s)), ELSEWHERE)
