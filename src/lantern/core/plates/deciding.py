"""From the history of passages to raises: what must hold at a read, and when a text may raise again."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np

from lantern.core.plates.attachment import NAMES
from lantern.core.plates.conditions.every import sure_enough
from lantern.core.plates.dials import PlateDials
from lantern.core.plates.history import History
from lantern.core.plates.lists import Nearest
from lantern.core.rearm import rearmed

SYNTAX = ("", "mended", "none")


@dataclass(frozen=True, slots=True)
class Raised:
    """A passage raises at a row of its history."""

    passage: int
    row: int
    t: float
    text: str


def listed(nearest: Nearest, dials: PlateDials) -> bool:
    """Return whether there is a match."""
    return nearest.matches(dials.tolerance, dials.runner_up)


def first_raises(history: History, nearest: Callable[[int], Nearest], dials: PlateDials) -> list[Raised]:
    """Return the first raise of each passage that has one, by passage. `nearest(row)`: the entry nearest to its text."""
    out: list[Raised] = []
    done = -1
    for row in np.flatnonzero(sure_enough(history, dials)).tolist():
        passage = int(history.passage[row])
        if passage == done:
            continue
        if dials.when == "any" or listed(nearest(row), dials) == (dials.when == "listed"):
            out.append(Raised(passage, row, float(history.t_s[row]), history.text[row]))
            done = passage
    return out


def kept_of(raises: Iterable[Raised], rearm_s: float) -> list[Raised]:
    """Return those that are not dropped, in order of time: less than `rearm_s` after the last raise of the same text."""
    last: dict[str, float] = {}
    kept = []
    for each in sorted(raises, key=lambda raised: (raised.t, raised.passage)):
        if rearmed(each.t, last.get(each.text), rearm_s):
            last[each.text] = each.t
            kept.append(each)
    return kept


def why(history: History, row: int, nearest: Nearest, dials: PlateDials) -> dict[str, Any]:
    """Return what a raise rests on."""
    kind = NAMES[history.seen.kind_at(row, dials.wander)]
    out: dict[str, Any] = {"reads": int(history.count[row]), "vote": float(history.confidence[row]), "vehicle": kind}
    if SYNTAX[int(history.syntax[row])]:
        out["syntax"] = SYNTAX[int(history.syntax[row])]
    if nearest.listed is not None and listed(nearest, dials):
        out["distance"] = round(nearest.distance, 9)
        if np.isfinite(nearest.ahead):
            out["ahead"] = round(nearest.ahead, 9)
    return out
