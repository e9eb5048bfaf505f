"""From the history of passages to raises: what must hold at a read, and when a text may raise again."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np

from lantern.core.plates.approach import AWAY, TOWARDS
from lantern.core.plates.attachment import ATTACHED, HELD, NAMES
from lantern.core.plates.dials import PlateDials
from lantern.core.plates.history import History
from lantern.core.plates.lists import Nearest
from lantern.core.rule import TIME_TOLERANCE_S
from lantern.core.watching import Bools

EQUAL = 1e-9
SYNTAX = ("", "mended", "none")


@dataclass(frozen=True, slots=True)
class Raised:
    """A passage raises at a row of its history."""

    passage: int
    row: int
    t: float
    text: str


def goes_with_vehicle(history: History, dials: PlateDials) -> Bools:
    """(m,): does the vehicle condition hold?"""
    kinds = history.seen.kinds(dials.wander)
    if dials.vehicle == "any":
        return np.ones(len(history), dtype=np.bool_)
    return np.asarray(kinds == ATTACHED if dials.vehicle == "attached" else kinds != HELD)


def that_way(way: int, dials: PlateDials) -> bool:
    return dials.direction == "any" or way == (TOWARDS if dials.direction == "towards" else AWAY)


def goes_that_way(history: History, dials: PlateDials) -> Bools:
    """(m,): does the vehicle go the way that is asked for?"""
    if dials.direction == "any":
        return np.ones(len(history), dtype=np.bool_)
    return np.asarray(history.way == (TOWARDS if dials.direction == "towards" else AWAY))


def sure_enough(history: History, dials: PlateDials) -> Bools:
    """(m,): enough reads, a vote that is sure, a vehicle, and time enough: all that must hold but for the lists."""
    holds = (history.count >= dials.min_reads) & (history.confidence >= dials.min_vote - EQUAL)
    if dials.when == "unlisted":
        holds &= history.since_s >= dials.decide_after_s - TIME_TOLERANCE_S
    return np.asarray(holds & goes_with_vehicle(history, dials) & goes_that_way(history, dials))


def listed(nearest: Nearest, dials: PlateDials) -> bool:
    """Is there a match?"""
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


def rearmed(raises: Iterable[Raised], rearm_s: float) -> list[Raised]:
    """Return those that are not dropped, in order of time: less than `rearm_s` after the last raise of the same text."""
    last: dict[str, float] = {}
    kept = []
    for each in sorted(raises, key=lambda raised: (raised.t, raised.passage)):
        before = last.get(each.text)
        if before is None or may_raise(each.t, before, rearm_s):
            last[each.text] = each.t
            kept.append(each)
    return kept


def may_raise(t: float, last_t: float, rearm_s: float) -> bool:
    """The rule of re-arm, of one text."""
    return t - last_t >= rearm_s - TIME_TOLERANCE_S


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
