"""One claim of geometry: a figure of a device, held against a wish, with what would cure it; and the search for the least change."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from lantern.core.optics.mount import Mount
from lantern.core.optics.verdicts import NOTHING_TO_SPARE, Wish, Word
from lantern.core.promise.plan import Plan
from lantern.core.promise.radar import Radar
from lantern.core.promise.sound import Speaker

STEPS = 60


@dataclass(frozen=True)
class Remedy:
    """What to change: `mount` keys of the device's mount, or `aim` keys of the plan's aim; `by_hand`: where somebody does it
    otherwise, for neither is changed.
    """

    text: str
    mount: Mapping[str, float] = field(default_factory=dict)
    aim: Mapping[str, float] = field(default_factory=dict)
    by_hand: str = ""


@dataclass(frozen=True)
class Claim:
    """One figure of one device. `value` None: geometry gives none, which fails."""

    device: str
    name: str
    label: str
    value: float | None
    wish: Wish
    verdict: Word
    reason: str
    aim: str | None = None
    remedies: Sequence[Remedy] = ()
    at: tuple[float, float] | None = None  # where on the plan it is worst

    def as_dict(self) -> dict[str, Any]:
        sign = "≥" if self.wish.at_least else "≤"
        return {
            "device": self.device,
            "name": self.name,
            "label": self.label,
            "value": self.value,
            "unit": self.wish.unit,
            "wish": f"{sign} {self.wish.goal:g}{' ' + self.wish.unit if self.wish.unit else ''}",
            "source": self.wish.source,
            "verdict": self.verdict,
            "reason": self.reason,
            "aim": self.aim,
            "at": self.at,
            "remedies": [
                {"text": r.text, "mount": dict(r.mount), "aim": dict(r.aim), "by_hand": r.by_hand}
                for r in self.remedies
            ],
        }


Standing = Mount | Radar | Speaker


@dataclass(frozen=True)
class Stood:
    """A device with its mount, and the lines that detectors have in its picture, by name of the detector."""

    code: str
    mount: Standing
    lines: Mapping[str, Sequence[Sequence[float]]] = field(default_factory=dict)
    fps: float | None = None
    usual_height_m: tuple[float, float] | None = None  # of its kind
    behind: tuple[str, ...] | None = None  # materials that its type may stand behind; None: nobody says
    presets: Mapping[str, tuple[float, float, float]] = field(default_factory=dict)  # pan, tilt, zoom of the site


@dataclass(frozen=True)
class Around:
    """What a device stands among: the plan, the other devices on it, and the zone by which the clocks there go."""

    plan: Plan
    others: Sequence[Stood] = ()
    zone: str = "UTC"


# ---- searching -------------------------------------------------------------------------------------------------------


def least(
    now: float, low: float, high: float, figure: Callable[[float], float | None], wish: Wish, digits: int
) -> tuple[float, str] | None:
    """Return the least change that meets a wish with something to spare, or with nothing where that cannot be; and which, in words.
    None: nothing between `low` and `high` meets it.
    """
    for wanted, spare in ((wish.with_margin, wish.spare), (wish, NOTHING_TO_SPARE)):
        found = _least(now, low, high, figure, wanted, digits)
        if found is not None:
            return found, spare
    return None


def _least(
    now: float, low: float, high: float, figure: Callable[[float], float | None], wish: Wish, digits: int
) -> float | None:
    """The value nearest to the present one at which a figure meets its wish, rounded so that it still does."""
    best: float | None = None
    for end in (low, high):
        for share in np.linspace(0, 1, STEPS + 1)[1:]:
            # in equal ratios where both are above 0, as lenses and watts go; else in equal steps
            value = float(now * (end / now) ** share if min(now, end) > 0 else now + (end - now) * share)
            said = figure(value)
            if said is not None and wish.word(said) == "pass":
                if best is None or abs(value - now) < abs(best - now):
                    best = _edge(now + (value - now) * 1e-9, value, now, figure, wish)
                break
    if best is None:
        return None
    scale = 10.0**digits
    rounded = (math.ceil(best * scale) if best > now else math.floor(best * scale)) / scale
    said = figure(rounded)
    return rounded if said is not None and wish.word(said) == "pass" else best


def _edge(missed: float, met: float, now: float, figure: Callable[[float], float | None], wish: Wish) -> float:
    for _ in range(40):
        middle = (missed + met) / 2
        said = figure(middle)
        if said is not None and wish.word(said) == "pass":
            met = middle
        else:
            missed = middle
    return met
