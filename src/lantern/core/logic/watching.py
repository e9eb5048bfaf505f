"""Compounds as events come: told of each raise and each clear, it raises what `compounds.worked_out` finds in all of them at the end."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace

from lantern.core.logic.causes import Happened, first_fit
from lantern.core.logic.compounds import Came, Compound, Raised, disturbs, latest_chain, ordered
from lantern.core.rule import TIME_TOLERANCE_S

Place = tuple[float, int, int]


class Watching:
    """The compounds of a site. What happens at one instant is looked at together, once time has gone on beyond it: `advance`."""

    def __init__(
        self, compounds: Sequence[Compound], on: Callable[[str, float], bool] = lambda name, t_s: True
    ) -> None:
        places = {each.name: place for place, each in enumerate(compounds)}
        self._ones = [_One(each, places[each.name], on) for each in ordered(compounds)]
        self._coming: list[Happened] = []
        self._stand_with: dict[
            Place, list[Happened]
        ] = {}  # what compounds raised and stands as long as its first event

    def raised(self, happened: Happened) -> None:
        """Something was raised; until `cleared` is told it stands."""
        self._coming.append(happened)

    def cleared(self, place: Place, t_s: float) -> list[Happened]:
        """What was raised with this place has cleared. Returns what compounds raised that has cleared with it."""
        self._coming = [_cleared(each, place, t_s) for each in self._coming]
        for one in self._ones:
            one.cleared(place, t_s)
        with_it = self._stand_with.pop(place, [])
        return with_it + [each for held in with_it for each in self.cleared(held.place, t_s)]

    @property
    def next_s(self) -> float:
        """Return the instant at which something is looked at next, inf: not before something happens."""
        coming = min((each.raised_s for each in self._coming), default=math.inf)
        return min([coming, *(one.next_s for one in self._ones)])

    def advance(self, t_s: float) -> Iterator[Raised]:
        """Let all that happened before `t_s` be looked at; gives what is raised, in order."""
        while (instant_s := self.next_s) < t_s:
            now = [each for each in self._coming if each.raised_s <= instant_s + TIME_TOLERANCE_S]
            self._coming = [each for each in self._coming if each not in now]
            found: list[Raised] = []
            for one in self._ones:
                parts = [each for each in now if first_fit(one.compound.parts, each) is not None]
                for raised in one.look(sorted(parts, key=lambda each: each.place), instant_s):
                    found.append(raised)
                    if raised.happened.cleared_s is None:
                        self._stand_with.setdefault(raised.used[0].place, []).append(raised.happened)
                    if not raised.asleep:
                        now.append(raised.happened)
            yield from sorted(found, key=lambda each: each.happened.place)
        for one in self._ones:
            one.forget(t_s)


def _cleared(each: Happened, place: Place, t_s: float) -> Happened:
    return replace(each, cleared_s=t_s) if each.place == place and each.cleared_s is None else each


class _One:
    """One compound: what of its parts it still needs."""

    def __init__(self, compound: Compound, place: int, on: Callable[[str, float], bool]) -> None:
        self.compound, self._place, self._on = compound, place, on
        self._parts = _OF[compound.kind](compound)
        self._count, self._last_s = 0, -math.inf

    @property
    def next_s(self) -> float:
        return self._parts.next_s

    def cleared(self, place: Place, t_s: float) -> None:
        self._parts.cleared(place, t_s)

    def forget(self, t_s: float) -> None:
        self._parts.forget(t_s)

    def look(self, events: Sequence[Happened], instant_s: float) -> Iterator[Raised]:
        held = self.compound
        for t_s, cleared_s, used in self._parts.look(events, instant_s):
            if t_s - self._last_s < held.rearm_s - TIME_TOLERANCE_S:
                continue  # what it used is used all the same
            place = (t_s, 1 + self._place, self._count)
            self._count, self._last_s = self._count + 1, t_s
            asleep = held.timetable is not None and not self._on(held.timetable, t_s)
            yield Raised(Happened("compound", held.name, t_s, cleared_s, place), used, asleep)


class _Any:
    next_s = math.inf

    def __init__(self, held: Compound) -> None:
        self._held = held

    def cleared(self, place: Place, t_s: float) -> None:
        """Only what raises matters."""

    def forget(self, t_s: float) -> None:
        """Nothing is remembered."""

    def look(self, events: Sequence[Happened], instant_s: float) -> Iterator[Came]:
        for each in events:
            yield each.raised_s, each.raised_s, (each,)


class _All(_Any):
    def __init__(self, held: Compound) -> None:
        super().__init__(held)
        self._fresh: list[list[Happened]] = [[] for _ in held.parts]

    def forget(self, t_s: float) -> None:
        since = t_s - self._held.within_s - 2 * TIME_TOLERANCE_S
        self._fresh = [[each for each in some if each.raised_s >= since] for some in self._fresh]

    def look(self, events: Sequence[Happened], instant_s: float) -> Iterator[Came]:
        for each in events:
            serves = first_fit(self._held.parts, each)
            assert serves is not None
            self._fresh[serves].append(each)
            since = each.raised_s - self._held.within_s - TIME_TOLERANCE_S
            if all(some and some[-1].raised_s >= since for some in self._fresh):
                yield each.raised_s, each.raised_s, tuple(some[-1] for some in self._fresh)
                self._fresh = [[] for _ in self._held.parts]


class _Sequence(_Any):
    def __init__(self, held: Compound) -> None:
        super().__init__(held)
        self._parts: list[Happened] = []

    def forget(self, t_s: float) -> None:
        since = t_s - self._held.within_s - 2 * TIME_TOLERANCE_S
        self._parts = [each for each in self._parts if each.raised_s >= since]

    def look(self, events: Sequence[Happened], instant_s: float) -> Iterator[Came]:
        for each in events:
            self._parts.append(each)
            if not self._held.parts[-1].fits(each):
                continue
            chain = latest_chain(self._held.parts, self._parts, 0, len(self._parts) - 1)
            if chain is not None and each.raised_s - chain[0].raised_s <= self._held.within_s + TIME_TOLERANCE_S:
                yield each.raised_s, each.raised_s, chain
                self._parts = []


class _Unless(_Any):
    def __init__(self, held: Compound) -> None:
        super().__init__(held)
        self._firsts: list[tuple[Happened, float]] = []  # with the last instant at which it was asked
        self._others: list[Happened] = []

    def cleared(self, place: Place, t_s: float) -> None:
        self._firsts = [(_cleared(first, place, t_s), asked_s) for first, asked_s in self._firsts]
        self._others = [_cleared(each, place, t_s) for each in self._others]

    def forget(self, t_s: float) -> None:
        self._firsts = [(first, at) for first, at in self._firsts if first.is_instant or _stands(first, t_s)]
        quiet_s = self._held.quiet_s + 2 * TIME_TOLERANCE_S
        self._others = [each for each in self._others if each.cleared_s is None or each.cleared_s > t_s - quiet_s]

    @property
    def next_s(self) -> float:  # type: ignore[override]  # the others wait for nothing
        return min((self._asked_next(first, asked_s) for first, asked_s in self._firsts), default=math.inf)

    def _asked_next(self, first: Happened, asked_s: float) -> float:
        """Return the next instant at which it is asked after `asked_s`."""
        begins = first.raised_s + self._held.wait_s
        if asked_s < begins:
            return begins
        if first.is_instant:
            return math.inf
        after = max(begins, asked_s) + TIME_TOLERANCE_S
        cleared = (each.cleared_s for each in self._others if each.place != first.place and each.cleared_s is not None)
        return min((t for at in cleared if (t := at + self._held.quiet_s) > after), default=math.inf)

    def look(self, events: Sequence[Happened], instant_s: float) -> Iterator[Came]:
        for each in events:
            if self._held.parts[0].fits(each):
                self._firsts.append((each, -math.inf))
            if any(part.fits(each) for part in self._held.parts[1:]):
                self._others.append(each)
        left = []
        for first, asked_s in self._firsts:
            if self._asked_next(first, asked_s) > instant_s + TIME_TOLERANCE_S:
                left.append((first, asked_s))
            elif not first.is_instant and not _stands(first, instant_s):
                continue
            elif any(disturbs(e, instant_s, self._held.quiet_s) for e in self._others if e.place != first.place):
                if not first.is_instant:
                    left.append((first, instant_s))
            else:
                yield instant_s, instant_s if first.is_instant else first.cleared_s, (first,)
        self._firsts = left


def _stands(each: Happened, t_s: float) -> bool:
    return each.cleared_s is None or each.cleared_s > t_s + TIME_TOLERANCE_S


_OF: dict[str, type[_Any]] = {"any": _Any, "all": _All, "sequence": _Sequence, "unless": _Unless}
