"""What somebody counted by hand: the truth that counts are held against."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True, slots=True)
class HandCount:
    """What was counted by hand in [start_s, end_s)."""

    start_s: float
    end_s: float
    into: int
    out: int


@dataclass(frozen=True, slots=True)
class CountedByHand:
    """What one person counted on a take, in one go: a tally, (s, "in" or "out") of each passage, or the intervals of a file."""

    who: str
    passages: tuple[tuple[float, str], ...] = ()
    intervals: tuple[HandCount, ...] = ()


def intervals_of(passages: Sequence[tuple[float, str]], length_s: float, every_s: float) -> list[HandCount]:
    """Passages with their times as counts of one interval after the other."""
    edges = np.arange(0, length_s + every_s, every_s)
    out = []
    for start, end in itertools.pairwise(edges.tolist()):
        here = [way for t, way in passages if start <= t < end]
        out.append(HandCount(start, end, here.count("in"), here.count("out")))
    return out
