"""Compounds: any of some causes, all of them within a time, one after the other, or one and not the others.

Worked out over events that are known; what comes after an instant matters to nothing that is decided at it.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import accumulate, chain
from typing import Literal, Self

from pydantic import Field, model_validator

from lantern.core.faults import FaultList
from lantern.core.logic.causes import Cause, Happened, first_fit
from lantern.core.modelled import Strict
from lantern.core.rule import TIME_TOLERANCE_S

MOST_S = 7 * 86_400.0
OF_KIND = {"any": (), "all": ("within_s",), "sequence": ("within_s",), "unless": ("quiet_s", "wait_s")}


class Compound(Strict):
    """`within_s`: how far apart the parts may be (`all`, `sequence`); `wait_s`, `quiet_s`: how long it waits after the first part, and how
    long before nothing else may have stood (`unless`).
    """

    name: str = Field(min_length=1, max_length=120)
    kind: Literal["any", "all", "sequence", "unless"]
    parts: tuple[Cause, ...] = Field(min_length=1, max_length=50)
    within_s: float = Field(default=0.0, ge=0, le=MOST_S)
    quiet_s: float = Field(default=0.0, ge=0, le=MOST_S)
    wait_s: float = Field(default=0.0, ge=0, le=MOST_S)
    rearm_s: float = Field(default=0.0, ge=0, le=MOST_S)
    timetable: str | None = Field(default=None, max_length=120)

    @property
    def reaches_back_s(self) -> float:
        """Return for how long what happened may still matter to it."""
        return max(self.within_s, self.wait_s + self.quiet_s, self.rearm_s)

    @model_validator(mode="after")
    def _possible(self) -> Self:
        if self.kind != "any" and len(self.parts) < 2:
            raise ValueError(f"{self.kind} of one part: two at least")
        if self.kind in ("all", "sequence") and self.within_s == 0:
            raise ValueError(f"within_s 0: {self.kind} needs a time within which its parts come")
        for name in ("quiet_s", "wait_s"):
            if getattr(self, name) and name not in OF_KIND[self.kind]:
                raise ValueError(f"{name} belongs to unless, and this is {self.kind}")
        return self


@dataclass(frozen=True)
class Raised:
    """A compound's event, with what it used, in the order of its parts; `asleep`: its timetable was off."""

    happened: Happened
    used: tuple[Happened, ...]
    asleep: bool


def ordered(compounds: Sequence[Compound]) -> list[Compound]:
    """Return them so that each comes after those that it is made of. Raises `Refused` for a name that leads nowhere, and for a circle."""
    by_name = {each.name: each for each in compounds}
    out: list[Compound] = []
    faults = FaultList()
    state: dict[str, int] = {}

    def visit(held: Compound, way: tuple[str, ...]) -> None:
        if state.get(held.name) == 2:
            return
        if held.name in way:
            circle = " of ".join((*way[way.index(held.name) :], held.name))
            faults.add(
                f"compounds: {held.name}", f"is made of itself: {circle}", "compounds that lead to detectors and inputs"
            )
            return
        for part in held.parts:
            if part.compound is not None and part.compound in by_name:
                visit(by_name[part.compound], (*way, held.name))
        if state.get(held.name) != 2:
            state[held.name] = 2
            out.append(held)

    for each in compounds:
        visit(each, ())
    faults.refuse_if_any()
    return out


def worked_out(
    compounds: Sequence[Compound],
    events: Sequence[Happened],
    on: Callable[[str, float], bool] = lambda timetable, t_s: True,
    *,
    until_s: float | None = None,
) -> dict[str, list[Raised]]:
    """Return by compound what it raised, in order. `events`: what happened, in order, without repeats and what slept; `on(timetable, t)`:
    is it on then? What would raise at `until_s` or later does not exist.
    """
    places = {each.name: place for place, each in enumerate(compounds)}
    known: dict[tuple[str, str], list[Happened]] = defaultdict(list)
    for each in events:
        known[each.what, each.name].append(each)
    found: dict[str, list[Raised]] = {}
    for held in ordered(compounds):
        named = [each for cause in {part.of for part in held.parts} for each in known[cause]]
        parts = sorted((each for each in named if first_fit(held.parts, each) is not None), key=lambda each: each.place)
        raised: list[Raised] = []
        for t_s, cleared_s, used in _OF[held.kind](held, parts):
            if until_s is not None and t_s >= until_s - TIME_TOLERANCE_S:
                continue
            if raised and t_s - raised[-1].happened.raised_s < held.rearm_s - TIME_TOLERANCE_S:
                continue  # what it used is used all the same
            place = (t_s, 1 + places[held.name], len(raised))
            happened = Happened("compound", held.name, t_s, cleared_s, place)
            raised.append(Raised(happened, used, held.timetable is not None and not on(held.timetable, t_s)))
        found[held.name] = raised
        known["compound", held.name] = [each.happened for each in raised if not each.asleep]
    return {each.name: found[each.name] for each in compounds}


Came = tuple[float, float | None, tuple[Happened, ...]]  # when it raises, when it clears, what it used


def _any(held: Compound, parts: Sequence[Happened]) -> Iterator[Came]:
    for each in parts:
        yield each.raised_s, each.raised_s, (each,)


def _all(held: Compound, parts: Sequence[Happened]) -> Iterator[Came]:
    fresh: list[list[Happened]] = [[] for _ in held.parts]
    for each in parts:
        serves = first_fit(held.parts, each)
        assert serves is not None
        fresh[serves].append(each)
        since = each.raised_s - held.within_s - TIME_TOLERANCE_S
        if all(some and some[-1].raised_s >= since for some in fresh):
            yield each.raised_s, each.raised_s, tuple(some[-1] for some in fresh)
            fresh = [[] for _ in held.parts]


def _sequence(held: Compound, parts: Sequence[Happened]) -> Iterator[Came]:
    begins = 0  # what came before is used up
    for at, each in enumerate(parts):
        if not held.parts[-1].fits(each):
            continue
        chain = latest_chain(held.parts, parts, begins, at)
        if chain is not None and each.raised_s - chain[0].raised_s <= held.within_s + TIME_TOLERANCE_S:
            yield each.raised_s, each.raised_s, chain
            begins = at + 1


def latest_chain(
    causes: Sequence[Cause], parts: Sequence[Happened], begins: int, at: int
) -> tuple[Happened, ...] | None:
    """Return the chain that ends there, each step as late as can be: none has a later first, nor of these a later second."""
    chain = [parts[at]]
    for cause in reversed(causes[:-1]):
        at = next((before for before in range(at - 1, begins - 1, -1) if cause.fits(parts[before])), -1)
        if at < 0:
            return None
        chain.append(parts[at])
    return tuple(reversed(chain))


def _unless(held: Compound, parts: Sequence[Happened]) -> Iterator[Came]:
    all_others = [each for each in parts if any(part.fits(each) for part in held.parts[1:])]
    both = {each.place for each in all_others}
    others, out = _Others(all_others, held.quiet_s), []
    for first in parts:
        if held.parts[0].fits(first):
            own = others
            if first.place in both:  # it does not disturb itself
                own = _Others([each for each in all_others if each is not first], held.quiet_s)
            t_s = _undisturbed(held, first, own)
            if t_s is not None:
                out.append((t_s, first))
    out.sort(key=lambda each: (each[0], each[1].place))
    for t_s, first in out:
        yield t_s, t_s if first.is_instant else first.cleared_s, (first,)


class _Others:
    """What may disturb, laid out so that an instant is asked by looking up, however many there are."""

    def __init__(self, others: Sequence[Happened], quiet_s: float) -> None:
        in_order = sorted(others, key=lambda each: each.raised_s)
        self._raised = [each.raised_s for each in in_order]
        cleared = (math.inf if each.cleared_s is None else each.cleared_s for each in in_order)
        self._latest = list(accumulate(cleared, max))  # of those up to each, the latest that clears
        self._quiet_s = quiet_s
        self._asked = sorted(each.cleared_s + quiet_s for each in in_order if each.cleared_s is not None)

    def asked_after(self, t_s: float) -> Iterator[float]:
        """Return the instants at which it was quiet for long enough after one of them, in order."""
        for at in range(bisect_right(self._asked, t_s + TIME_TOLERANCE_S), len(self._asked)):
            yield self._asked[at]

    def disturb(self, t_s: float) -> bool:
        at = bisect_right(self._raised, t_s + TIME_TOLERANCE_S)
        if at == 0:
            return False
        now = self._raised[at - 1] >= t_s - TIME_TOLERANCE_S
        return now or self._latest[at - 1] > t_s - self._quiet_s + TIME_TOLERANCE_S


def _undisturbed(held: Compound, first: Happened, others: _Others) -> float | None:
    """Return the first of the instants at which it is asked at which it stands and nothing disturbs."""
    begins = first.raised_s + held.wait_s
    for t_s in chain([begins], () if first.is_instant else others.asked_after(begins)):
        if not first.is_instant and first.cleared_s is not None and first.cleared_s <= t_s + TIME_TOLERANCE_S:
            return None
        if not others.disturb(t_s):
            return t_s
    return None


def disturbs(each: Happened, t_s: float, quiet_s: float) -> bool:
    if each.raised_s > t_s + TIME_TOLERANCE_S:
        return False
    now = each.raised_s >= t_s - TIME_TOLERANCE_S
    return now or each.cleared_s is None or each.cleared_s > t_s - quiet_s + TIME_TOLERANCE_S


_OF = {"any": _any, "all": _all, "sequence": _sequence, "unless": _unless}
