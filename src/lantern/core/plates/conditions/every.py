"""All conditions, in the order in which they are looked at; a new one is a module beside this and a line here."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lantern.core.plates.conditions.condition import Condition, FromOn, UpTo
from lantern.core.plates.conditions.direction import Direction
from lantern.core.plates.conditions.reads import Reads
from lantern.core.plates.conditions.seen_for import SeenFor
from lantern.core.plates.conditions.vehicle import Vehicle
from lantern.core.plates.conditions.vote import Vote
from lantern.core.plates.dials import PlateDials
from lantern.core.plates.history import History
from lantern.core.reasons import Reason
from lantern.core.watching import Bools

CONDITIONS: tuple[Condition, ...] = (Reads(), Vote(), Direction(), Vehicle(), SeenFor())


def sure_enough(history: History, dials: PlateDials, *, but: Condition | None = None) -> Bools:
    """(m,): at which rows all conditions hold, leaving one out if asked: all that must hold but for the lists."""
    holds = np.ones(len(history), dtype=np.bool_)
    for condition in CONDITIONS:
        if condition is not but and condition.applies(dials):
            holds &= condition.holds(history, dials)
    return holds


def lacking(history: History, rows: Sequence[int], dials: PlateDials) -> Reason:
    """Return the first condition that one passage lacks where most of them hold. `rows`: its own, all hold at none of them."""
    for condition in CONDITIONS:
        if not condition.applies(dials):
            continue
        holds = condition.holds(history, dials)
        good = [row for row in rows if holds[row]]
        if not good:
            return condition.lacking(history, rows, dials)
        rows = good
    raise AssertionError("every condition holds")


def swept_by(dials: PlateDials) -> dict[str, UpTo | FromOn]:
    """Return those that compare a number of each row with one dial, by that dial, as far as they play a part."""
    return {c.swept: c for c in CONDITIONS if isinstance(c, UpTo | FromOn) and c.applies(dials)}
