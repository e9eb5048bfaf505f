"""Takes set aside: is what was tuned on some takes worse on those that were not looked at?

A share of hits below the tuned takes' interval, or a rate of false alarms that is higher beyond chance (exact binomial
test, 5 %), is called over-tuned. One take, or none set aside: not validated, and no verdict.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from lantern.core.scoring.cards import ScoreCard, pooled
from lantern.core.scoring.intervals import events_for, rates_differ

CHANCE = 0.05
LEAST_MARKS = 5  # on the takes set aside; common practice, no source


@dataclass(frozen=True)
class Validation:
    """`verdict`: not validated, too few, holds, over-tuned; and a sentence with the figures."""

    verdict: str
    text: str

    def as_dict(self) -> dict[str, str]:
        return {"verdict": self.verdict, "text": self.text}


def validate(tuned: Sequence[ScoreCard], aside: Sequence[ScoreCard]) -> Validation:
    if not tuned or not aside:
        return Validation("not validated", "Not validated: no take is set aside. Set one aside that was not tuned on.")
    on, off = pooled(tuned), pooled(aside)
    worse, marks = [], off.hits + off.misses
    enough = marks >= LEAST_MARKS  # one miss of one says nothing
    if enough and on.hit_rate_low is not None and off.hit_rate is not None and off.hit_rate < on.hit_rate_low:
        worse.append(
            f"{off.hits} of {off.hits + off.misses} caught on the takes set aside, below the tuned interval from "
            f"{100 * on.hit_rate_low:.0f} %"
        )
    if (off.false_per_hour or 0) > (on.false_per_hour or 0):
        p = rates_differ(off.false_alarms, off.exposure_h, on.false_alarms, on.exposure_h)
        if p < CHANCE:
            worse.append(
                f"{off.false_alarms} false in {off.exposure_h:.2g} h set aside against {on.false_alarms} in "
                f"{on.exposure_h:.2g} h (p {p:.2g})"
            )
    if worse:
        return Validation("over-tuned", f"Over-tuned: {'; '.join(worse)}.")
    if not enough:
        return Validation(
            "too few",
            f"No verdict: {marks} {'mark' if marks == 1 else 'marks'} on the takes set aside. {events_for(0.9)} caught of "
            f"{events_for(0.9)} would show 90 %.",
        )
    return Validation("holds", f"Holds on the takes set aside: {off.hits} of {marks} caught, {off.false_alarms} false.")
