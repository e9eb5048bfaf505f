"""Who is taken for whom, and who is missed."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from lantern.core.faces.looks import MATED, NON_MATED, Looks
from lantern.core.faces.scores import SUBJECT

MOST_PAIRS = 12


class Pair(NamedTuple):
    """One person's looks that were held against somebody else: the highest score, and how many of so many matched."""

    subject: str
    candidate: str
    highest: float
    matched: int
    of: int


class Person(NamedTuple):
    """One member: how many of so many own looks were missed, and the scores of these looks: lowest, middle, highest."""

    candidate: str
    missed: int
    of: int
    lowest: float
    middle: float
    highest: float


def pairs_of(looks: Looks, threshold: float) -> list[Pair]:
    """Return the pairs of two people that score highest, the worst first; by the column `subject`, without it by looks."""
    rows = np.flatnonzero(looks.mated == NON_MATED)
    if not rows.size:
        return []
    column = looks.groups.get(SUBJECT)
    who = looks.look[rows] if column is None else column.code[rows]
    key = who.astype(np.int64) * len(looks.candidate.words) + looks.candidate.code[rows]
    order = np.lexsort((-looks.score[rows], key))
    starts = np.flatnonzero(np.diff(key[order], prepend=-1))
    highest = looks.score[rows][order][starts]
    of = np.diff(np.append(starts, rows.size))
    matched = np.add.reduceat((looks.score[rows][order] >= threshold).astype(np.intp), starts)
    worst = np.lexsort((-highest, -matched))[:MOST_PAIRS]
    out = []
    for at in worst.tolist():
        row = int(rows[order[starts[at]]])
        name = looks.probe[int(looks.look[row])] if column is None else column.at(row)
        out.append(Pair(name, looks.candidate.at(row), float(highest[at]), int(matched[at]), int(of[at])))
    return out


def people_of(looks: Looks, threshold: float) -> list[Person]:
    """Return the members of whom there are looks, who is missed most first."""
    rows = np.flatnonzero(looks.mated == MATED)
    out = []
    for code in np.unique(looks.candidate.code[rows]).tolist():
        own = looks.score[rows[looks.candidate.code[rows] == code]]
        low, middle, high = (float(v) for v in (own.min(), np.median(own), own.max()))
        out.append(Person(looks.candidate.words[code], int((own < threshold).sum()), int(own.size), low, middle, high))
    return sorted(out, key=lambda each: (-each.missed / each.of, each.lowest))
