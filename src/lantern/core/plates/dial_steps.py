"""Along one dial of a detector of plates, exactly: which reads of the history count up to a value, or from one on."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from functools import partial

import numpy as np

from lantern.core.plates import sweeping
from lantern.core.plates.conditions.condition import EQUAL, FromOn, UpTo
from lantern.core.plates.conditions.every import sure_enough, swept_by
from lantern.core.plates.deciding import Raised, first_raises, listed
from lantern.core.plates.decision import Decision
from lantern.core.plates.filters import FILTERS, Filter
from lantern.core.plates.history import history_of, own_reads
from lantern.core.plates.lists import Nearest
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.signals import Floats
from lantern.core.tuning.rows import Row
from lantern.core.watching import Bools, Indices

LISTS = ("tolerance", "runner_up")
BY_DIAL = {each.dial: each for each in FILTERS}
MOST_ROWS = 2_000_000  # of histories under every value of a filter; more are not swept exactly


def exact_dials(on: Decision) -> list[str]:
    """Return all dials but those on which the vote, or what a passage is, depends continuously."""
    names = ["rearm_s", *swept_by(on.dials)]
    if on.dials.when != "any":
        names += LISTS
    return names + [name for name, each in BY_DIAL.items() if _rows_under(on, each) <= MOST_ROWS]


def _levels(on: Decision, filtered: Filter) -> tuple[list[list[float]], list[Indices], Floats]:
    """Return by passage the values of a filter's number among the reads that would count without it; those reads; (n,)
    the number.
    """
    own = own_reads(on.passages, on.counted(on.dials.model_copy(update={filtered.dial: filtered.bare})))
    number = filtered.number(on.reads.confidence, on.reads.plate)
    own = [each[~np.isnan(number[each])] for each in own]
    return [sorted({float(v) for v in number[each]}) for each in own], own, number


def _rows_under(on: Decision, filtered: Filter) -> int:
    levels, own, _ = _levels(on, filtered)
    return sum(len(values) * each.size for values, each in zip(levels, own, strict=True))


def rows_exact(
    on: Decision,
    dial: str,
    marks: Sequence[Mark],
    *,
    low: float,
    high: float,
    slack: Slack,
    compared: int,
) -> list[Row]:
    """Rows that join up from `low` to `high`; `dial` is one of `exact_dials`."""
    if dial == "rearm_s":
        return sweeping.rows_of_rearm(on.first, marks, slack, low=low, high=high, compared=compared)
    if dial in LISTS:
        steps = _steps_of_lists(on, dial, high)
    elif dial in BY_DIAL:
        steps = _steps_of_filter(on, BY_DIAL[dial])
    else:
        steps = _steps_of(on, swept_by(on.dials)[dial])
    rows = sweeping.rows_along(steps, marks, slack, on.dials.rearm_s, low=low, high=high, compared=compared)
    whole = isinstance(getattr(on.dials, dial), int)
    return [replace(row, value=float(math.ceil(row.start))) for row in rows] if whole else rows


def _steps_of(on: Decision, condition: UpTo | FromOn) -> list[sweeping.Step]:
    """A dial that lets a read of the history raise up to a value, or from one on."""
    history = on.history
    holds = sure_enough(history, on.dials, but=condition)
    holds &= _as_listed(on, holds)
    steps = sweeping.steps_below if isinstance(condition, UpTo) else sweeping.steps_above
    return steps(history.passage, holds, condition.limit(history, on.dials), partial(_raise, on))


def _raise(on: Decision, row: int) -> Raised:
    history = on.history
    return Raised(int(history.passage[row]), row, float(history.t_s[row]), history.text[row])


def _as_listed(on: Decision, holds: Bools) -> Bools:
    """(m,): do the lists say what `when` asks for, at the rows where the rest holds?"""
    out = np.ones(len(on.history), dtype=np.bool_)
    if on.dials.when != "any":
        wanted = on.dials.when == "listed"
        for row in np.flatnonzero(holds).tolist():
            out[row] = listed(on.near(row), on.dials) == wanted
    return out


def _steps_of_lists(on: Decision, dial: str, high: float) -> list[sweeping.Step]:
    history, dials = on.history, on.dials
    holds = sure_enough(history, dials)
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


def _steps_of_filter(on: Decision, filtered: Filter) -> list[sweeping.Step]:
    """Every passage under every value that changes which of its reads count: as many passages of their own."""
    levels, own, number = _levels(on, filtered)
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
