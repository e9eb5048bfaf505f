"""What a threshold costs a place in a day: false alarms of passers, and passages of members that are missed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lantern.core.faces.list_size import strangers
from lantern.core.faces.looks import Looks
from lantern.core.faces.rates import comparisons_for, looks_for, target_fmr
from lantern.core.faces.scores import SUBJECT, Scores
from lantern.core.wording import many

DAY_S = 86_400.0
SHORTEST_DAY_S = 8 * 3600.0  # a take as long as a shift stands for a day; common practice, no source
PASSAGE_S = 60.0  # looks of one person that lie no further apart are one passage; common practice, no source


@dataclass(frozen=True)
class Traffic:
    """Who passes: `passers` a day who are on no list, and how many `looks` each gives."""

    passers: float
    looks: float


def traffic_of(looks: Looks) -> Traffic | None:
    """Return it as a take has it. None where it is too short, or where nobody said who is on no list."""
    return looks.remember("traffic", lambda: _traffic(looks))


def days_of(looks: Looks) -> float | None:
    """Return for how many days a take stands: one at least where it is as long as a shift; None: it is too short to say."""
    return max(looks.length_s / DAY_S, 1.0) if looks.length_s >= SHORTEST_DAY_S else None


def _traffic(looks: Looks) -> Traffic | None:
    there = np.flatnonzero(strangers(looks)) if len(looks) else np.zeros(0, dtype=np.intp)
    days = days_of(looks)
    if not there.size or days is None:
        return None
    column = looks.groups.get(SUBJECT)
    who = there if column is None else column.code[looks.first[there]]
    order = np.lexsort((looks.t_s[there], who))
    fresh = (np.diff(who[order], prepend=-1) != 0) | (np.diff(looks.t_s[there][order], prepend=-np.inf) > PASSAGE_S)
    passages = int(fresh.sum())
    return Traffic(passages / days, there.size / passages)


@dataclass(frozen=True)
class Wished:
    """The threshold that a wish in false alarms a day comes to. `needs`: what would show it, where this take cannot."""

    a_day: float
    target_fmr: float
    threshold: float
    extrapolated: bool
    needs: str


def wished(scores: Scores, traffic: Traffic, a_day: float, enrolled: int) -> Wished:
    """Return it. Raises `Refused` for a wish that makes no sense with so many passers."""
    target = target_fmr(a_day, traffic.passers, enrolled, max(traffic.looks, 1.0))
    beyond = scores.extrapolates(target)
    needs = ""
    if beyond:
        looks = looks_for(target, enrolled)
        days = looks / (traffic.passers * traffic.looks)
        shown = comparisons_for(target)
        needs = (
            f"a take of {many(round(looks), 'look')} of people who are on no list, {days:.3g} such days, none of them taken for "
            f"a member (rule of 3); {shown:.2g} comparisons would show it to within 30 % (rule of 30)"
        )
    return Wished(a_day, target, scores.threshold_for(target), beyond, needs)
