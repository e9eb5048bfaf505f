"""The decision of a detector of faces on the looks of a take: what raises, and what became of every other look."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np

from lantern.core.faces.deciding import Best, Outcome, dials_of, on_none, outcomes, rearmed_looks, threshold_of
from lantern.core.faces.detector import FaceDetector, FaceList
from lantern.core.faces.dials import MASK, MASKS, FaceDials
from lantern.core.faces.kind import FaceKind
from lantern.core.faces.looks import Looks
from lantern.core.watching import Indices


class Raise(NamedTuple):
    """A look raises: for a list and the row of its candidate, or as one that is on no list (-1, -1)."""

    look: int
    place: int
    row: int


@dataclass(frozen=True)
class FaceDecision:
    """One detector of faces, its dials, and the looks of one take."""

    detector: FaceDetector
    kind: FaceKind
    dials: FaceDials
    looks: Looks
    lists: tuple[FaceList, ...]
    bests: tuple[Best, ...]  # of each list, whatever its threshold

    @cached_property
    def thresholds(self) -> tuple[float, ...]:
        """Return the threshold of each list."""
        return tuple(threshold_of(held, self.dials) for held in self.lists)

    def dials_of(self, place: int) -> FaceDials:
        """Return the dials that hold for a list."""
        return dials_of(self.lists[place], self.dials)

    def qualifying(self, place: int) -> Indices:
        """Return the looks whose best in a list is at or above its threshold."""
        return np.flatnonzero(self.bests[place].score >= self.thresholds[place])

    @cached_property
    def fates(self) -> tuple[dict[int, Outcome], ...]:
        """Return by list what becomes of each look that qualifies there."""
        return tuple(self._fates(place) for place in range(len(self.lists)))

    def _fates(self, place: int) -> dict[int, Outcome]:
        own: dict[int, list[int]] = defaultdict(list)
        code, row = self.looks.candidate.code, self.bests[place].row
        for look in self.qualifying(place).tolist():
            own[int(code[row[look]])].append(look)
        out: dict[int, Outcome] = {}
        for looks in own.values():
            out.update(zip(looks, outcomes(self.looks.t_s[looks].tolist(), self.dials_of(place)), strict=True))
        return out

    @cached_property
    def passes(self) -> Indices:
        """Return the looks that may raise by themselves: those on no list, or of the class that is asked for."""
        if self.dials.when in MASKS:
            return self.looks.of_class(MASK, MASKS[self.dials.when])
        return np.flatnonzero(on_none(self.bests, self.thresholds, len(self.looks)))

    @cached_property
    def raises(self) -> list[Raise]:
        """Return what raises, in order of time."""
        if self.dials.when != "listed":
            kept = rearmed_looks(self.looks.t_s, self.passes.tolist(), self.dials.rearm_s)
            return [Raise(look, -1, -1) for look in kept]
        raised = [
            Raise(look, place, int(self.bests[place].row[look]))
            for place, fates in enumerate(self.fates)
            for look, fate in fates.items()
            if fate == "raised"
        ]
        return sorted(raised)
