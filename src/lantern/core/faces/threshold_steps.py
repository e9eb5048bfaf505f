"""Along a threshold, exactly: what raises changes only where the threshold passes a list's best score in some look.

As the threshold falls, looks come in one by one; each touches one candidate of one list, whose raises are worked out anew.
"""

from __future__ import annotations

from bisect import bisect_left
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import groupby
from operator import itemgetter

import numpy as np

from lantern.core.faces.deciding import outcomes, rearmed_looks
from lantern.core.faces.decision import FaceDecision
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.scoring.tally import Counts, Tally
from lantern.core.tuning.rows import Row, value_inside
from lantern.core.tuning.wanted import still_wanted

Change = tuple[float, int, int]  # at or below this threshold the look qualifies in that list


@dataclass
class _Own:
    """The looks of one candidate on one list that qualify, and those of them that raise."""

    looks: list[int] = field(default_factory=list)
    raised: set[int] = field(default_factory=set)


class _Listed:
    """Raises of faces that are on lists."""

    def __init__(self, decision: FaceDecision, tally: Tally) -> None:
        self.decision, self.tally = decision, tally
        self.zone = tally.zones(decision.looks.t_s)
        self.t_s: list[float] = decision.looks.t_s.tolist()
        self._own: dict[tuple[int, int], _Own] = defaultdict(_Own)

    def come(self, changes: Sequence[Change]) -> None:
        """These looks qualify from now on."""
        touched = set()
        for _, place, look in changes:
            row = int(self.decision.bests[place].row[look])
            key = (place, int(self.decision.looks.candidate.code[row]))
            looks = self._own[key].looks
            looks.insert(bisect_left(looks, look), look)
            touched.add(key)
        for key in touched:
            own = self._own[key]
            fates = outcomes([self.t_s[look] for look in own.looks], self.decision.dials_of(key[0]))
            raised = {look for look, fate in zip(own.looks, fates, strict=True) if fate == "raised"}
            for look in own.raised - raised:
                self.tally.change(self.zone[look], self.t_s[look], -1)
            for look in raised - own.raised:
                self.tally.change(self.zone[look], self.t_s[look], 1)
            own.raised = raised


class _OnNone:
    """Raises of faces that are on no list: a look that qualifies anywhere raises no more."""

    def __init__(self, decision: FaceDecision, tally: Tally) -> None:
        self.decision, self.tally = decision, tally
        self.zone = tally.zones(decision.looks.t_s)
        self.t_s: list[float] = decision.looks.t_s.tolist()
        self.passes = list(range(len(decision.looks)))
        self.raised: set[int] = set()
        self._settle()

    def come(self, changes: Sequence[Change]) -> None:
        for look in {look for _, _, look in changes}:
            at = bisect_left(self.passes, look)
            if at < len(self.passes) and self.passes[at] == look:
                del self.passes[at]
        self._settle()

    def _settle(self) -> None:
        raised = set(rearmed_looks(self.decision.looks.t_s, self.passes, self.decision.dials.rearm_s))
        for look in self.raised - raised:
            self.tally.change(self.zone[look], self.t_s[look], -1)
        for look in raised - self.raised:
            self.tally.change(self.zone[look], self.t_s[look], 1)
        self.raised = raised


def rows_along(
    decision: FaceDecision,
    moved: Sequence[int],
    marks: Sequence[Mark],
    slack: Slack,
    *,
    low: float,
    high: float,
    compared: int,
) -> list[Row]:
    """Rows that join up from `low` to `high` of the thresholds of the lists at `moved`; the others stay as they are. A row ends
    where one of the first `compared` counts changes.
    """
    standing = (_Listed if decision.dials.when == "listed" else _OnNone)(decision, Tally(marks, slack))
    begun: list[Change] = []
    later: list[Change] = []
    for place, best in enumerate(decision.bests):
        if place not in moved:
            begun += [(np.inf, place, look) for look in decision.qualifying(place).tolist()]
            continue
        for look in np.flatnonzero(best.score > low).tolist():
            change = (float(best.score[look]), place, look)
            (begun if change[0] >= high else later).append(change)
    standing.come(begun)
    pieces: list[tuple[float, float, Counts]] = []
    top, counts = high, standing.tally.counts()
    later.sort(key=lambda change: -change[0])
    for score, changes in groupby(later, key=itemgetter(0)):
        still_wanted()
        standing.come(list(changes))
        fresh = standing.tally.counts()
        if fresh[:compared] != counts[:compared]:
            pieces.append((score, top, counts))
            top = score
        counts = fresh
    pieces.append((low, top, counts))
    return [Row(start, stop, value_inside(start, stop), each) for start, stop, each in reversed(pieces)]
