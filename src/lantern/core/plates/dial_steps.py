"""Along one dial of a detector of plates, exactly: which reads of the history count up to a value, or from one on."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Any

import numpy as np

from lantern.core.plates import sweeping
from lantern.core.plates.attachment import ATTACHED, HELD
from lantern.core.plates.deciding import EQUAL, Raised, first_raises, listed, sure_enough
from lantern.core.plates.dials import PlateDials
from lantern.core.plates.history import history_of, own_reads
from lantern.core.plates.lists import Nearest
from lantern.core.rule import TIME_TOLERANCE_S
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.tuning.rows import Row
from lantern.core.watching import Bools, Indices

if TYPE_CHECKING:
    from lantern.core.plates.subject import PlateSubject

FILTERS = ("min_confidence", "min_height_px")
MOST_ROWS = 2_000_000  # of histories under every value of a filter; more are not swept exactly


def exact_dials(on: PlateSubject) -> list[str]:
    """All but those on which the vote, or what a passage is, depends continuously."""
    dials = on.dials
    names = ["min_reads", "min_vote", "rearm_s"]
    if dials.when != "any":
        names += ["tolerance", "runner_up"]
    names += ["wander"] if dials.vehicle != "any" else []
    names += ["decide_after_s"] if dials.when == "unlisted" else []
    return names + [name for name in FILTERS if _rows_under(on, name) <= MOST_ROWS]


def _levels(on: PlateSubject, name: str) -> tuple[list[list[float]], list[Indices]]:
    """By passage, the values of a filter's number among the reads that would count without it; and those reads."""
    bare = on.dials.model_copy(update={name: 0.0 if name == "min_confidence" else None})
    own = own_reads(on.passages, on.counted(bare))
    number = on.reads.confidence if name == "min_confidence" else on.reads.plate[:, 3]
    own = [each[~np.isnan(number[each])] for each in own]
    return [sorted({float(v) for v in number[each]}) for each in own], own


def _rows_under(on: PlateSubject, name: str) -> int:
    levels, own = _levels(on, name)
    return sum(len(values) * each.size for values, each in zip(levels, own, strict=True))


def rows_exact(
    on: PlateSubject,
    dial: str,
    marks: Sequence[Mark],
    *,
    low: float,
    high: float,
    slack: Slack,
    apart: int,
) -> list[Row]:
    """Rows that join up from `low` to `high`; `dial` is one of `exact_dials`."""
    if dial == "rearm_s":
        return sweeping.rows_of_rearm(on.first, marks, slack, low=low, high=high, apart=apart)
    steps = _steps_of_filter(on, dial) if dial in FILTERS else _steps_of(on, dial, low, high)
    rows = sweeping.rows_along(steps, marks, slack, on.dials.rearm_s, low=low, high=high, apart=apart)
    return [replace(row, value=float(math.ceil(row.start))) for row in rows] if dial == "min_reads" else rows


def _steps_of(on: PlateSubject, dial: str, low: float, high: float) -> list[sweeping.Step]:
    """Dials that let a read of the history raise or not, each up to a value or from one on."""
    history, dials = on.history, on.dials
    without: dict[str, Any] = {"min_reads": 1, "min_vote": 0.0, "decide_after_s": 0.0, "wander": 1e9}
    bare = dials.model_copy(update={dial: without.get(dial, getattr(dials, dial))})
    holds = sure_enough(history, bare)
    if dial == "wander":
        return _steps_of_wander(on, bare, holds)
    if dial in ("tolerance", "runner_up"):
        return _steps_of_lists(on, dial, holds, high)
    holds &= _as_listed(on, holds)
    most = {
        "min_reads": history.count.astype(np.float64) + 0.5,  # whole numbers lie inside their stretches
        "min_vote": history.confidence + EQUAL,
        "decide_after_s": history.since_s + TIME_TOLERANCE_S,
    }[dial]
    return sweeping.steps_below(history.passage, holds, most, partial(_raise, on))


def _raise(on: PlateSubject, row: int) -> Raised:
    history = on.history
    return Raised(int(history.passage[row]), row, float(history.t_s[row]), history.text[row])


def _as_listed(on: PlateSubject, holds: Bools) -> Bools:
    """(m,): do the lists say what `when` asks for, at the rows where the rest holds?"""
    out = np.ones(len(on.history), dtype=np.bool_)
    if on.dials.when != "any":
        wanted = on.dials.when == "listed"
        for row in np.flatnonzero(holds).tolist():
            out[row] = listed(on.near(row), on.dials) == wanted
    return out


def _steps_of_wander(on: PlateSubject, bare: PlateDials, holds: Bools) -> list[sweeping.Step]:
    """A row whose vehicle decides by how far the plate wanders counts from there on; others as they are."""
    history = on.history
    holds &= _as_listed(on, holds)
    decides = history.seen.known == ATTACHED
    least = np.where(decides, history.seen.wander - EQUAL, -np.inf)
    least[history.seen.known == HELD] = np.inf
    return sweeping.steps_above(history.passage, holds, least, partial(_raise, on))


def _steps_of_lists(on: PlateSubject, dial: str, holds: Bools, high: float) -> list[sweeping.Step]:
    history, dials = on.history, on.dials
    reach = max(high, dials.tolerance) + max(high, dials.runner_up)
    far, ahead = np.full(len(history), np.inf), np.full(len(history), np.inf)
    for row in np.flatnonzero(holds).tolist():
        nearest = on.near(row, reach)
        far[row], ahead[row] = nearest.distance, np.inf if nearest.distance == 0 else nearest.ahead
    wanted = dials.when == "listed"
    if dial == "tolerance":
        alone = ahead >= dials.runner_up - EQUAL
        if wanted:
            return sweeping.steps_above(
                history.passage, holds & alone & np.isfinite(far), far - EQUAL, partial(_raise, on)
            )
        return sweeping.steps_below(history.passage, holds, np.where(alone, far - EQUAL, np.inf), partial(_raise, on))
    near = far <= dials.tolerance + EQUAL
    if wanted:
        return sweeping.steps_below(history.passage, holds & near, ahead + EQUAL, partial(_raise, on))
    return sweeping.steps_above(
        history.passage, holds & ~(near & np.isinf(ahead)), np.where(near, ahead + EQUAL, -np.inf), partial(_raise, on)
    )


def _steps_of_filter(on: PlateSubject, dial: str) -> list[sweeping.Step]:
    """Every passage under every value that changes which of its reads count: as many passages of their own."""
    levels, own = _levels(on, dial)
    number = on.reads.confidence if dial == "min_confidence" else on.reads.plate[:, 3]
    of, begins, reads = [], [], []
    for passage, (values, each) in enumerate(zip(levels, own, strict=True)):
        before = -np.inf
        for value in values:
            of.append(passage)
            begins.append(before)
            reads.append(each[number[each] >= value])
            before = value + EQUAL
        of.append(passage)
        begins.append(before)
        reads.append(each[:0])
    history = history_of(on.reads, reads, on.dials)

    def near(row: int) -> Nearest:
        return on.nearest_to(history.text[row], float(history.t_s[row]))

    found = {each.passage: each for each in first_raises(history, near, on.dials)}
    return [
        (begin, passage, replace(found[n], passage=passage) if n in found else None)
        for n, (begin, passage) in enumerate(zip(begins, of, strict=True))
    ]
