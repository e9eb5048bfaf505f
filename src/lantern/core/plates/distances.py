"""How far two keys are apart: the least cost of edits, each character edited at most once."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lantern.core.plates.keys import ALPHABET, CONFUSABLE, codes_of
from lantern.core.signals import Floats

# Costs of one edit; common practice, no source.
CONFUSED = 0.3
SUBSTITUTED = 1.0
INSERTED = 0.8  # or deleted
SAME = 1e-9  # distances nearer than this are equal

COST = np.where(CONFUSABLE, CONFUSED, SUBSTITUTED)  # (36, 36)
np.fill_diagonal(COST, 0.0)
_ROWS = {symbol: dict(zip(ALPHABET, row, strict=True)) for symbol, row in zip(ALPHABET, COST.tolist(), strict=True)}


def distance(one: str, other: str) -> float:
    """Return the distance of two keys."""
    if one == other:
        return 0.0
    before = [INSERTED * n for n in range(len(other) + 1)]
    for number, symbol in enumerate(one, 1):
        cost = _ROWS[symbol]
        row = [INSERTED * number]
        for at, wanted in enumerate(other):
            row.append(min(before[at] + cost[wanted], before[at + 1] + INSERTED, row[at] + INSERTED))
        before = row
    return before[-1]


def distances(key: str, others: Sequence[str]) -> Floats:
    """(n,): the distance of a key to each of n others, which are of one length."""
    if not others:
        return np.zeros(0)
    table = np.array([codes_of(other) for other in others], dtype=np.intp).reshape(len(others), -1)
    before = [np.full(len(others), INSERTED * n) for n in range(table.shape[1] + 1)]
    for number, place in enumerate(codes_of(key), 1):
        row = [np.full(len(others), INSERTED * number)]
        for at in range(table.shape[1]):
            changed = before[at] + COST[place][table[:, at]]
            row.append(np.minimum(changed, np.minimum(before[at + 1], row[at]) + INSERTED))
        before = row
    return before[-1]
