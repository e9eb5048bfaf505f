"""Who is taken for whom, and who is missed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from lantern.core.faces.looks import MATED, NON_MATED, Looks
from lantern.core.faces.scores import SUBJECT
from lantern.core.signals import Floats

MOST_PAIRS, MOST_COLUMNS = 12, 40


class Pair(NamedTuple):
    """One person's looks that were held against somebody else: the highest score, and how many of so many matched."""

    subject: str
    candidate: str
    highest: float
    matched: int
    of: int


@dataclass(frozen=True)
class Matrix:
    """Who scores high against whom: `highest` (subjects, candidates) of all looks at a subject, not a number where there is none or
    where both are one person.
    """

    subjects: tuple[str, ...]
    candidates: tuple[str, ...]
    highest: Floats


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


def matrix_of(looks: Looks) -> Matrix:
    """Return it for those subjects who score highest against somebody else, the worst first, and all candidates."""
    rows = np.flatnonzero(looks.mated == NON_MATED)
    column = looks.groups.get(SUBJECT)
    if not rows.size or column is None:
        return Matrix((), (), np.zeros((0, 0)))
    words = looks.candidate.words
    held = np.full((len(column.words), len(words)), -np.inf)
    np.maximum.at(held, (column.code[rows], looks.candidate.code[rows]), looks.score[rows])
    worst = np.argsort(-held.max(axis=1), kind="stable")[:MOST_PAIRS]
    there = [at for at in worst.tolist() if np.isfinite(held[at]).any()]
    used = np.flatnonzero(np.isfinite(held).any(axis=0))[:MOST_COLUMNS]
    shown = held[np.ix_(there, used)]
    shown[~np.isfinite(shown)] = np.nan
    return Matrix(tuple(column.words[at] for at in there), tuple(words[at] for at in used.tolist()), shown)


def people_of(looks: Looks, threshold: float) -> list[Person]:
    """Return the members of whom there are looks, who is missed most first."""
    rows = np.flatnonzero(looks.mated == MATED)
    out = []
    for code in np.unique(looks.candidate.code[rows]).tolist():
        own = looks.score[rows[looks.candidate.code[rows] == code]]
        low, middle, high = (float(v) for v in (own.min(), np.median(own), own.max()))
        out.append(Person(looks.candidate.words[code], int((own < threshold).sum()), int(own.size), low, middle, high))
    return sorted(out, key=lambda each: (-each.missed / each.of, each.lowest))
