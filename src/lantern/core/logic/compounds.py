"""Compounds: any of some causes, all of them within a time, one after the other, or one and not the others.

Worked out over events that are known; what comes after an instant matters to nothing that is decided at it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
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
    known = list(events)
    found: dict[str, list[Raised]] = {}
    for held in ordered(compounds):
        parts = sorted((each for each in known if first_fit(held.parts, each) is not None), key=lambda each: each.place)
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
        known += [each.happened for each in raised if not each.asleep]
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
        chain = _latest_chain(held.parts, parts, begins, at)
        if chain is not None and each.raised_s - chain[0].raised_s <= held.within_s + TIME_TOLERANCE_S:
            yield each.raised_s, each.raised_s, chain
            begins = at + 1


def _latest_chain(
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
    others = [each for each in parts if any(part.fits(each) for part in held.parts[1:])]
    out = []
    for first in parts:
        if held.parts[0].fits(first):
            t_s = _undisturbed(held, first, [each for each in others if each is not first])
            if t_s is not None:
                out.append((t_s, first))
    out.sort(key=lambda each: (each[0], each[1].place))
    for t_s, first in out:
        yield t_s, t_s if first.is_instant else first.cleared_s, (first,)


def _undisturbed(held: Compound, first: Happened, others: Sequence[Happened]) -> float | None:
    """Return the first of the instants at which it is asked at which it stands and nothing disturbs."""
    asked = [first.raised_s + held.wait_s]
    if not first.is_instant:
        later = {each.cleared_s + held.quiet_s for each in others if each.cleared_s is not None}
        asked += sorted(t_s for t_s in later if t_s > asked[0] + TIME_TOLERANCE_S)
    for t_s in asked:
        if not first.is_instant and first.cleared_s is not None and first.cleared_s <= t_s + TIME_TOLERANCE_S:
            return None
        if not any(_disturbs(each, t_s, held.quiet_s) for each in others):
            return t_s
    return None


def _disturbs(each: Happened, t_s: float, quiet_s: float) -> bool:
    if each.raised_s > t_s + TIME_TOLERANCE_S:
        return False
    now = each.raised_s >= t_s - TIME_TOLERANCE_S
    return now or each.cleared_s is None or each.cleared_s > t_s - quiet_s + TIME_TOLERANCE_S


_OF = {"any": _any, "all": _all, "sequence": _sequence, "unless": _unless}
