"""Lists of plates, and what a text matches on them: exact, or tolerant with a distance to the runner-up."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from lantern.core.plates.distances import INSERTED, SAME, SUBSTITUTED, distance, distances
from lantern.core.plates.keys import key_of, outline_of


class Entry(BaseModel):
    """A plate on a list. It holds from the beginning of the day `from` to the end of the day `until`."""

    model_config = ConfigDict(frozen=True, extra="forbid", populate_by_name=True, serialize_by_alias=True)

    text: str = Field(max_length=40)
    since: date | None = Field(default=None, alias="from")
    until: date | None = None
    note: str | None = Field(default=None, max_length=400)
    id: str | None = Field(default=None, max_length=40, description="a random one; it stays when the entry is removed")

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.since is not None and self.until is not None and self.until < self.since:
            raise ValueError(f"ends on {self.until}, before it begins on {self.since}: a last day after the first")
        return self

    def holds(self, day: date) -> bool:
        return (self.since is None or self.since <= day) and (self.until is None or day <= self.until)


class PlateList(BaseModel):
    """A named list. What only a site needs of it (colour, purpose, end) plays no part in a match."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = Field(min_length=1, max_length=120)
    entries: tuple[Entry, ...] = ()
    colour: str | None = Field(default=None, max_length=20)
    purpose: str | None = Field(default=None, max_length=400)
    ends: date | None = Field(default=None, description="the day after which nobody should need it")


@dataclass(frozen=True, slots=True)
class Listed:
    """An entry with its key and the list it is on; `place`: which comes first."""

    place: int
    key: str
    entry: Entry
    list: str


@dataclass(frozen=True, slots=True)
class Nearest:
    """The entry nearest to a text, how far it is, and how much farther the nearest one with another key (inf: there is none)."""

    listed: Listed | None
    distance: float = math.inf
    ahead: float = math.inf

    def matches(self, tolerance: float, runner_up: float) -> bool:
        """Near enough, and near enough alone; equal keys match whatever stands near them."""
        return self.near(tolerance) and (self.distance == 0 or self.ahead >= runner_up - SAME)

    def near(self, tolerance: float) -> bool:
        """There is an entry near enough."""
        return self.listed is not None and self.distance <= tolerance + SAME


class Roll:
    """Entries of several lists, in their order, by their keys: those that hold on one day."""

    def __init__(self, listed: Iterable[Listed]) -> None:
        self.by_key: dict[str, Listed] = {}
        for each in listed:  # of equal keys the first one stands
            self.by_key.setdefault(each.key, each)
        self._outlines: dict[str, list[str]] = {}
        self._shorter: dict[str, list[str]] = {}  # by outlines with one symbol less
        self._lengths: dict[int, list[str]] = {}
        for key in self.by_key:
            outline = outline_of(key)
            self._outlines.setdefault(outline, []).append(key)
            self._lengths.setdefault(len(key), []).append(key)
            for less in _one_less(outline):
                self._shorter.setdefault(less, []).append(key)
        self._near: dict[tuple[str, float], list[tuple[float, str]]] = {}
        self._nearest: dict[tuple[str, float], Nearest] = {}

    def near(self, text: str, reach: float) -> list[tuple[float, str]]:
        """Return (distance, key) of all entries within `reach`, the nearest first, then as they stand."""
        found = self._near.get((text, reach))
        if found is None:
            found = sorted(self._within(text, reach), key=lambda pair: (pair[0], self.by_key[pair[1]].place))
            self._near[text, reach] = found
        return found

    def _within(self, text: str, reach: float) -> list[tuple[float, str]]:
        if reach < SUBSTITUTED - SAME:  # nothing but confusable substitutions, or one insertion or deletion besides
            outline = outline_of(text)
            keys = set(self._outlines.get(outline, ()))
            if reach >= INSERTED - SAME:
                keys.update(self._shorter.get(outline, ()))
                for less in _one_less(outline):
                    keys.update(self._outlines.get(less, ()))
            pairs = [(distance(text, key), key) for key in keys]
        else:
            shift = math.floor((reach + SAME) / INSERTED)
            pairs = []
            for length in range(len(text) - shift, len(text) + shift + 1):
                keys_there = self._lengths.get(length, [])
                pairs += zip(distances(text, keys_there).tolist(), keys_there, strict=True)
        return [pair for pair in pairs if pair[0] <= reach + SAME]

    def nearest(self, text: str, reach: float) -> Nearest:
        """Return what is nearest to a text within `reach`; of keys at one distance the one that stands first."""
        known = self._nearest.get((text, reach))
        if known is None:
            known = self._nearest[text, reach] = self._found(text, reach)
        return known

    def _found(self, text: str, reach: float) -> Nearest:
        near = self.near(text, reach)
        if not near:
            return Nearest(None)
        best = near[0][0]
        alike = [key for far, key in near if far <= best + SAME]
        key = min(alike, key=lambda each: self.by_key[each].place)
        others = [far for far, other in near if other != key]
        return Nearest(self.by_key[key], best, min(others) - best if others else math.inf)


class Rolls:
    """Lists as they hold from day to day."""

    def __init__(self, lists: Sequence[PlateList]) -> None:
        every = [(entry, held.name) for held in lists for entry in held.entries]
        self.listed = [
            Listed(place, key, entry, name) for place, (entry, name) in enumerate(every) if (key := key_of(entry.text))
        ]
        edges = {
            edge for each in self.listed for edge in (each.entry.since, each.entry.until) if edge is not None
        }  # between two neighbouring edges the same entries hold
        self._dated = bool(edges)
        self._rolls: dict[date, Roll] = {}

    def on(self, day: date | Callable[[], date]) -> Roll:
        """Return the roll of that day, which is asked for only where it matters."""
        wanted = date.min if not self._dated else day if isinstance(day, date) else day()
        roll = self._rolls.get(wanted)
        if roll is None:
            roll = Roll(each for each in self.listed if each.entry.holds(wanted))
            self._rolls[wanted] = roll
        return roll


def _one_less(text: str) -> set[str]:
    return {text[:at] + text[at + 1 :] for at in range(len(text))}
