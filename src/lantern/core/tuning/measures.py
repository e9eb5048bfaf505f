"""What a setting is judged by: named measures, each with the direction that is better, and what may be wished of it.

Strips, maps and wishes know measures only. A kind says its own: those that raise have misses, false alarms and delay
(`raises.py`); one that follows something may have seconds out of the picture and how large the target stood in it.
"""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Generic, Literal, NamedTuple, Protocol, TypeAlias, TypeVar

from lantern.core.scoring.cards import ScoreRow
from lantern.core.scoring.holdout import Validation
from lantern.core.scoring.marks import Mark
from lantern.core.signals import Floats
from lantern.core.units import short

T = TypeVar("T", float, Floats)
Value = float | None  # None: there was nothing to measure
Values = tuple[Value, ...]  # of a yardstick's measures, in their order


@dataclass(frozen=True, kw_only=True)
class Wish:
    """What may be wished of a measure: a limit that it may not be worse than.

    `shows(value, exposure_h)` is what the evidence shows of what is wished (None: nothing), where that is not the value itself;
    `helps(value, limit, exposure_h)` says what to do where the wish is not met.
    """

    name: str
    label: str
    words: tuple[str, str]  # before and after the limit
    hint: str = ""
    usual: float | None = None  # holds where nobody wishes anything
    low: float = 0.0
    low_excluded: bool = False
    high: float = 1e6
    expected: str = "a number of at least 0"
    asked: bool = True  # a page asks for it
    shows: Callable[[float, float], Value] | None = None
    helps: Callable[[float, float, float], str] = lambda value, limit, exposure_h: ""

    def allows(self, limit: float) -> bool:
        return math.isfinite(limit) and self.low <= limit <= self.high and not (self.low_excluded and limit <= self.low)


@dataclass(frozen=True, kw_only=True)
class Measure:
    """One figure that a setting brings about on a take; `name` is the result's own name for it."""

    name: str
    label: str
    form: str  # "{} missed"
    better: Literal["less", "more"] = "less"
    ideal: float = 0.0  # what none can beat
    pool: Literal["sum", "worst"] = "sum"  # how takes are put together
    parts: bool = True  # a stretch of a dial ends where it changes; else it may vary within one
    slight: float = 0.0  # a difference that nobody minds
    worse: str = "worse"  # what a setting is by more of it
    at_best: str = "at best {}"  # what a strip says of a dial that cannot reach the ideal alone
    wish: Wish | None = None

    def loss(self, value: Value) -> float:
        """Return how far from what none can beat; nothing measured loses nothing."""
        return 0.0 if value is None else self.away(value)

    def away(self, value: T) -> T:
        """The same of a number, or of an array of them."""
        return value - self.ideal if self.better == "less" else self.ideal - value

    def pooled(self, values: Sequence[Value]) -> Value:
        """The values of several takes as one."""
        known = [value for value in values if value is not None]
        if not known:
            return None
        return sum(known) if self.pool == "sum" else self.worst(known)

    def worst(self, values: Sequence[Value]) -> Value:
        return max((value for value in values if value is not None), key=self.loss, default=None)

    def text(self, value: Value) -> str:
        return "" if value is None else self.form.format(short(value, 3) if isinstance(value, float) else value)

    def as_dict(self) -> dict[str, Any]:
        """Return it as a page draws it."""
        keys = ("name", "label", "form", "ideal", "better", "parts")
        return {key: getattr(self, key) for key in keys}


class Stretch(NamedTuple):
    """A stretch of a dial, or one value of it (`start` is `stop`), and what it gives; `value` lies inside."""

    start: float
    stop: float
    value: float
    values: Values


class Card(Protocol):
    """A card that says how a detector did on a take."""

    def as_dict(self) -> dict[str, Any]: ...

    def rows(self, *, marked: bool = True) -> list[ScoreRow]:
        """Return the card as a page lays it out. Not `marked`: nobody has said anything of the take, and what came is
        neither right nor wrong.
        """

    def line(self, *, marked: bool = True) -> str:
        """Return all of it in one line."""


@dataclass(frozen=True)
class Figures:
    """The card of a detector that raises nothing: its measures as they are."""

    measures: tuple[Measure, ...] = field(repr=False)
    values: Values

    def as_dict(self) -> dict[str, Any]:
        return {measure.name: value for measure, value in zip(self.measures, self.values, strict=True)}

    def rows(self, *, marked: bool = True) -> list[ScoreRow]:
        told = zip(self.measures, self.values, strict=True)
        return [ScoreRow(m.name, "none", m.label, "none" if v is None else short(v)) for m, v in told]

    def line(self, *, marked: bool = True) -> str:
        return ", ".join(m.text(v) for m, v in zip(self.measures, self.values, strict=True) if v is not None)


CardT = TypeVar("CardT", bound=Card)


@dataclass(frozen=True, kw_only=True)
class Yardstick(ABC, Generic[CardT]):
    """The measures of a kind, the gravest first, and what is said of a setting by them. `CardT`: what its cards are."""

    measures: tuple[Measure, ...]
    by_marks: bool = False  # marks alone say which of its events are right

    @property
    def parting(self) -> tuple[Measure, ...]:
        """Those that end a stretch of a dial where they change."""
        return tuple(measure for measure in self.measures if measure.parts)

    @property
    def wishes(self) -> tuple[Wish, ...]:
        return tuple(measure.wish for measure in self.measures if measure.wish is not None)

    def values(self, result: object) -> Values:
        """The measures of a result, which has them by name."""
        return tuple(getattr(result, measure.name) for measure in self.measures)

    def verdict(self, values: Values) -> Values:
        """Return what two stretches must share to be one."""
        return tuple(value for measure, value in zip(self.measures, values, strict=True) if measure.parts)

    def losses(self, values: Values) -> tuple[float, ...]:
        return tuple(measure.loss(value) for measure, value in zip(self.measures, values, strict=True))

    def lost(self, values: Values) -> tuple[float, ...]:
        """Return the measures that end a stretch, by which one stretch is better than another."""
        return tuple(m.loss(value) for m, value in zip(self.measures, values, strict=True) if m.parts)

    def pooled(self, results: Sequence[Values]) -> Values:
        """Return the values of several takes as of one."""
        return tuple(m.pooled(column) for m, column in zip(self.measures, zip(*results, strict=True), strict=True))

    def worst(self, results: Sequence[Values]) -> Values:
        """The worst of each measure on its own."""
        return tuple(m.worst(column) for m, column in zip(self.measures, zip(*results, strict=True), strict=True))

    def text(self, values: Values, *, parting: bool = False) -> str:
        """Return the values in words; `parting`: without those that vary within a stretch."""
        told = [(m, v) for m, v in zip(self.measures, values, strict=True) if v is not None]
        return ", ".join(measure.text(value) for measure, value in told if measure.parts or not parting)

    def lacking(self, marks: Sequence[Mark]) -> str:
        """Return what the marks must say before the measures mean anything; empty: nothing is lacking."""
        return ""

    def few(self, marks: Sequence[Mark]) -> tuple[str, ...]:
        """Return what would make the figures surer."""
        return ()

    def basis(self, marks: Sequence[Mark]) -> str:
        """Return on how much a proposal rests; empty: nothing is said of it."""
        return ""

    @abstractmethod
    def card_of(self, document: Mapping[str, Any]) -> CardT:
        """Return a card as it was kept."""

    @abstractmethod
    def cards_pooled(self, cards: Sequence[CardT]) -> CardT:
        """Return the cards of several takes as one."""

    @abstractmethod
    def validate(self, tuned: Sequence[CardT], aside: Sequence[CardT]) -> Validation:
        """Return whether what was tuned on some takes is worse on those that were not looked at."""

    @abstractmethod
    def standing(self, cards: Sequence[CardT]) -> str:
        """Return how a detector stands over all takes of its device, in a word."""

    @abstractmethod
    def worse(self, card: CardT, before: Sequence[CardT]) -> bool:
        """Return whether it fails on a take in a way that it did not on those of before."""

    @abstractmethod
    def since(self, card: CardT, before: Sequence[CardT]) -> str:
        """Return how it does on a take that came later, in words."""


AnyYardstick: TypeAlias = Yardstick[Any]  # whatever its cards are


@dataclass(frozen=True, kw_only=True)
class Plain(Yardstick[Figures]):
    """The yardstick of a kind that has nothing to say of its measures but their numbers."""

    def card_of(self, document: Mapping[str, Any]) -> Figures:
        return Figures(self.measures, tuple(document[measure.name] for measure in self.measures))

    def cards_pooled(self, cards: Sequence[Figures]) -> Figures:
        return Figures(self.measures, self.pooled([card.values for card in cards]))

    def validate(self, tuned: Sequence[Figures], aside: Sequence[Figures]) -> Validation:
        return Validation("not validated", "Not validated: nothing tells chance from change in these measures yet.")

    def standing(self, cards: Sequence[Figures]) -> str:
        return "measured" if cards else "no take"

    def worse(self, card: Figures, before: Sequence[Figures]) -> bool:
        if not before:
            return False
        most = [max(losses) for losses in zip(*(self.losses(each.values) for each in before), strict=True)]
        return any(loss > limit for loss, limit in zip(self.losses(card.values), most, strict=True))

    def since(self, card: Figures, before: Sequence[Figures]) -> str:
        return f"{card.line()} here; {self.cards_pooled(before).line()} when it was saved" if before else card.line()
