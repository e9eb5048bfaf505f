"""What false alarms were of, by what somebody wrote down: the note of the quiet mark that each lies in."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from lantern.core.scoring.marks import Mark, Verdict, within

ELSEWHERE = "nobody said of what"


def by_note(raised_s: Sequence[float], verdicts: Sequence[Verdict], marks: Sequence[Mark]) -> list[tuple[str, int]]:
    """Return (note, so many) of the false alarms, the most first; of those that no note speaks of last. Of two marks that overlap the
    shorter says it.
    """
    quiet = sorted(
        (mark for mark in marks if mark.label == "quiet" and mark.note), key=lambda each: each.end_s - each.start_s
    )
    counts: Counter[str] = Counter()
    for t, verdict in zip(raised_s, verdicts, strict=True):
        if verdict == "false":
            said = next((mark.note for mark in quiet if within(t, mark.start_s, mark.end_s)), ELSEWHERE)
            counts[said] += 1
    if set(counts) <= {ELSEWHERE}:
        return []  # no note says anything: the card's number is all there is
    return sorted(counts.items(), key=lambda each: (each[0] == ELSEWHERE, -each[1], each[0]))
