"""Error rates by group: by light, camera, pose, cap, mask, whatever columns a take has."""

from __future__ import annotations

from dataclasses import dataclass

from lantern.core.faces.looks import Looks
from lantern.core.faces.scores import ENOUGH_SUBJECTS, SUBJECT, Share, scores_of

MOST_WORDS = 24  # of a column that parts a take into groups; one with more names things


@dataclass(frozen=True)
class Group:
    """One word of one column: rates at the threshold, of how many people. `fails`: which rate lies beyond that of the rest, so far
    that their intervals do not touch: "fmr", "fnmr", or empty.
    """

    column: str
    word: str
    subjects: int
    fmr: Share | None
    fnmr: Share | None
    fails: str

    @property
    def small(self) -> bool:
        return self.subjects < ENOUGH_SUBJECTS


def groups_of(looks: Looks, threshold: float) -> list[Group]:
    """Return the groups of a take at a threshold."""
    out = []
    for name, column in looks.groups.items():
        if name == SUBJECT or not 2 <= len(column.words) <= MOST_WORDS:
            continue
        for code, word in enumerate(column.words):
            own, rest = (scores_of(looks, side) for side in (column.code == code, column.code != code))
            if not own.mated.size and not own.non_mated.size:
                continue
            fmr, fnmr = own.fmr(threshold), own.fnmr(threshold)
            fails = "fmr" if _beyond(fmr, rest.fmr(threshold)) else ""
            fails = "fnmr" if not fails and _beyond(fnmr, rest.fnmr(threshold)) else fails
            out.append(Group(name, word, own.subjects, fmr, fnmr, fails))
    return out


def _beyond(own: Share | None, rest: Share | None) -> bool:
    return own is not None and rest is not None and own.low > rest.high
