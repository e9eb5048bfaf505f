"""The yardstick of a detector that raises: misses, false alarms, delay."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from lantern.core.scoring.cards import ScoreCard, pooled
from lantern.core.scoring.holdout import Validation, validate
from lantern.core.scoring.intervals import events_for, exposure_for, rate_at_most
from lantern.core.scoring.marks import Mark
from lantern.core.tuning.measures import Measure, Wish, Yardstick
from lantern.core.wording import many

DAY_H = 24.0
FEW_MARKS = 5  # fewer say little about what is caught; common practice, no source


def _false_per_day(false_alarms: float, exposure_h: float) -> float | None:
    """The upper bound, 95 %: no false alarm in twenty minutes does not show one a week."""
    bound = rate_at_most(int(false_alarms), exposure_h)
    return None if bound is None else bound * DAY_H


def _fewer_false(false_alarms: float, limit: float, exposure_h: float) -> str:
    if false_alarms:
        return "another statistic or a longer sustain time, or a compound with a second detector"
    days, bound = exposure_for(limit, 0), _false_per_day(0, exposure_h)
    shown = "nothing" if bound is None else f"at most {bound:.3g} a day"
    return f"a longer take: none in {exposure_h:.2g} h shows {shown}; {days:.3g} silent days would show the wish"


MISSES = Measure(
    name="misses",
    label="misses",
    form="{} missed",
    at_best="no value here catches all: {} at best",
    wish=Wish(
        name="misses",
        label="At most so many misses",
        words=("≤", "missed"),
        usual=0,
        expected="0 or more",
        asked=False,
        helps=lambda *_: "another statistic, a rise instead of a level, or a region closer to what should raise",
    ),
)
FALSE_ALARMS = Measure(
    name="false_alarms",
    label="false alarms",
    form="{} false",
    at_best="alone it cannot get below {} without a miss",
    wish=Wish(
        name="false_per_day",
        label="At most so many false alarms a day",
        words=("≤", "false a day"),
        hint="As the upper bound of the interval, 95 %",
        low_excluded=True,
        expected="above 0, such as 0.143 for one a week; or empty",
        shows=_false_per_day,
        helps=_fewer_false,
    ),
)
DELAY = Measure(
    name="longest_delay_s",
    label="delay",
    form="within {} s",
    pool="worst",
    parts=False,
    slight=2.0,
    worse="later",
    wish=Wish(
        name="delay_s",
        label="Delay at most, in s",
        words=("≤", "s late"),
        low_excluded=True,
        expected="above 0 s, or empty",
        helps=lambda *_: "a shorter sustain time, if another dial can keep the false alarms away",
    ),
)


@dataclass(frozen=True, kw_only=True)
class Raises(Yardstick[ScoreCard]):
    """Results are `Counts`, cards are `ScoreCard`s."""

    measures: tuple[Measure, ...] = (MISSES, FALSE_ALARMS, DELAY)
    by_marks: bool = True

    def lacking(self, marks: Sequence[Mark]) -> str:
        return "" if _expected(marks) else "no mark says what should raise: add one on the time axis"

    def few(self, marks: Sequence[Mark]) -> tuple[str, ...]:
        if _expected(marks) >= FEW_MARKS:
            return ()
        needed = events_for(0.9)
        seen = _counted(marks)
        return (f"more events: {seen} of what should raise; {needed} caught of {needed} would show 90 %",)

    def basis(self, marks: Sequence[Mark]) -> str:
        return f"by {_counted(marks)} of what should raise"

    def card_of(self, document: Mapping[str, Any]) -> ScoreCard:
        return ScoreCard(**{**document, "delays_s": tuple(document["delays_s"])})

    def cards_pooled(self, cards: Sequence[ScoreCard]) -> ScoreCard:
        return pooled(cards)

    def validate(self, tuned: Sequence[ScoreCard], aside: Sequence[ScoreCard]) -> Validation:
        return validate(tuned, aside)

    def standing(self, cards: Sequence[ScoreCard]) -> str:
        if not cards:
            return "no take"
        if not any(card.hits + card.misses for card in cards):
            return "no marks"
        if any(card.misses for card in cards):
            return "misses"
        return "cries wolf" if any(card.false_alarms for card in cards) else "steady"

    def worse(self, card: ScoreCard, before: Sequence[ScoreCard]) -> bool:
        """Any miss, or any false alarm, where there was none."""
        missed = card.misses and not any(each.misses for each in before)
        return bool(missed or (card.false_alarms and not any(each.false_alarms for each in before)))

    def since(self, card: ScoreCard, before: Sequence[ScoreCard]) -> str:
        marks = card.hits + card.misses
        caught = f"{card.hits} of {marks} caught" if marks else "no marks yet"
        misses, false_alarms = sum(each.misses for each in before), sum(each.false_alarms for each in before)
        return f"{caught}, {card.false_alarms} false here; {misses} missed and {false_alarms} false when it was saved"


def _counted(marks: Sequence[Mark]) -> str:
    expected = _expected(marks)
    return "no mark" if expected == 0 else many(expected, "mark")


def _expected(marks: Sequence[Mark]) -> int:
    return sum(mark.label == "expect" for mark in marks)


RAISES = Raises()
