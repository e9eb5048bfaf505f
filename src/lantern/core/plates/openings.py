"""How often would a stranger's plate open? Predicted from the lists and the forms that plates have, and counted on takes.

Predicted: of all keys that the templates allow, those within the tolerance of an entry, each counted once, less what the
runner-up refuses. Every key is taken to be as likely as another, which real plates are not: a floor, and called so.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations, product
from typing import Any

import numpy as np

from lantern.core.plates.distances import COST, SAME
from lantern.core.plates.keys import ALPHABET
from lantern.core.plates.lists import Roll
from lantern.core.plates.syntax import template
from lantern.core.scoring.intervals import poisson_rate
from lantern.core.tuning.wanted import still_wanted

WIDEST = 0.9  # beyond it keys of other lengths and with other symbols come in, and are not counted one by one
MOST_KEYS = 3_000_000


@dataclass(frozen=True)
class Floor:
    """Keys that open by the lists, of `keys` that the templates allow; `a_vehicle`: the chance of one whose plate is any of them."""

    opening: int
    keys: float
    entries: int
    mean_ball: float

    @property
    def a_vehicle(self) -> float:
        return self.opening / self.keys if self.keys else 0.0

    def as_dict(self) -> dict[str, Any]:
        return {
            "opening": self.opening,
            "keys": self.keys,
            "entries": self.entries,
            "mean_ball": self.mean_ball,
            "a_vehicle": self.a_vehicle,
        }


def space_of(templates: Sequence[str]) -> float:
    """Return how many keys the templates allow; of templates that share keys, these once where both are of one length
    and plain.
    """
    return float(
        sum(math.prod(int(fits.sum(axis=1)[n]) for n in range(len(fits))) for fits in map(template, templates))
    )


def floor(roll: Roll, templates: Sequence[str], tolerance: float, runner_up: float) -> Floor | None:
    """Return the floor; None where the tolerance is beyond what is counted, or there are no templates.

    Below `WIDEST` only confusable substitutions are within reach (an insertion or deletion changes the length, and is counted
    where a template has that length).
    """
    if not templates or tolerance >= WIDEST:
        return None
    forms: dict[int, list[Any]] = {}
    for text in templates:
        fits = template(text)
        forms.setdefault(len(fits), []).append(fits)
    opening: set[str] = set()
    ball = 0
    for key in roll.by_key:
        still_wanted()
        own = _within(key, forms, tolerance)
        ball += len(own)
        opening |= own
        if len(opening) > MOST_KEYS:
            return None
    kept = {key for key in opening if roll.nearest(key, tolerance + runner_up).matches(tolerance, runner_up)}
    entries = len(roll.by_key)
    return Floor(len(kept), space_of(templates), entries, ball / entries if entries else 0.0)


def _within(key: str, forms: dict[int, list[Any]], tolerance: float) -> set[str]:
    """Keys that a template allows and that are within the tolerance of one, by substitutions."""
    out: set[str] = set()
    codes = [ALPHABET.index(symbol) for symbol in key]
    most = int((tolerance + SAME) / 0.3)
    near = [[c for c in range(len(ALPHABET)) if c != code and COST[code, c] <= tolerance + SAME] for code in codes]
    for changed in range(most + 1):
        for places in combinations(range(len(codes)), changed):
            for others in product(*(near[place] for place in places)):
                made = list(codes)
                for place, other in zip(places, others, strict=True):
                    made[place] = other
                if sum(COST[a, b] for a, b in zip(codes, made, strict=True)) <= tolerance + SAME and any(
                    all(fits[n, code] for n, code in enumerate(made)) for fits in forms.get(len(codes), ())
                ):
                    out.add("".join(ALPHABET[code] for code in made))
    return out


@dataclass(frozen=True)
class Year:
    """False openings of a year by what the takes showed: the best guess, and the exact (Garwood) interval, 95 %."""

    seen: int
    passages: int
    a_year: float
    low: float
    high: float

    def as_dict(self) -> dict[str, Any]:
        return {"seen": self.seen, "passages": self.passages, "a_year": self.a_year, "low": self.low, "high": self.high}


def year_of(seen: int, passages: int, passages_a_year: float) -> Year | None:
    """`seen` false openings in so many passages of strangers, scaled to a year of them; none in n shows at most 3.00 N / n
    (one-sided, 95 %). None without passages.
    """
    if passages <= 0 or passages_a_year <= 0:
        return None
    scale = passages_a_year / passages
    if seen == 0:
        return Year(0, passages, 0.0, 0.0, -math.log(0.05) * scale)
    a_passage = poisson_rate(seen, passages)
    assert a_passage is not None  # there were passages
    low, high = a_passage
    return Year(seen, passages, seen * scale, low * passages_a_year, high * passages_a_year)


def passages_for(wish_a_year: float, passages_a_year: float) -> float:
    """Return how many passages of strangers without a false opening would show the wish (rule of three, 95 %)."""
    return float(-np.log(0.05) * passages_a_year / wish_a_year)
