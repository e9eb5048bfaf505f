"""A decision's dials, resolved to what the time logic needs. Every kind that watches a reading ends here."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from lantern.core.signals import Floats

Sense = Literal["above", "below", "rise", "fall"]
RiseBy = Literal["window", "points", "slope"]
ClearedBy = Literal["reading", "gap", "lost", "limit", "time", "switched", "end"]
CLEARED_WORDS = {  # what ended an event, as pages say it; live, somebody may also set it by hand
    "reading": "its reading",
    "gap": "a gap in what came",
    "lost": "out of sight",
    "limit": "a limit of the device",
    "time": "its time",
    "switched": "another one",
    "end": "the end",
    "reset": "set by hand",
}

TIME_TOLERANCE_S = 1e-6
GAP_IN_MEDIAN_INTERVALS = 3.0
LEAST_GAP_S = 1.0
LEVEL_DECIMALS = 9


@dataclass(frozen=True, slots=True)
class Rule:
    """`level` is the threshold (above, below), the change (rise, fall) or the excess over the baseline, in the reading's unit.

    `rise_by`: against the window's extreme, its first point, or by the regression slope over it. `baseline_s` above 0: the
    reading is held against what it learnt over so long, `spread_k` robust standard deviations wide.
    """

    sense: Sense
    level: float
    hysteresis: float = 0.0
    window_s: float = 0.0
    sustain_s: float = 0.0
    clear_s: float = 0.0
    rearm_s: float = 0.0
    repeat: bool = False
    gap_s: float = LEAST_GAP_S
    rise_by: RiseBy = "window"
    baseline_s: float = 0.0
    spread_k: float = 0.0

    @property
    def learns(self) -> bool:
        return self.baseline_s > 0

    @property
    def by_change(self) -> bool:
        return self.sense in ("rise", "fall")


def default_gap_s(t_s: Floats) -> float:
    """Three times the median interval, at least 1 s."""
    if t_s.size < 2:
        return LEAST_GAP_S
    return max(GAP_IN_MEDIAN_INTERVALS * float(np.median(np.diff(t_s))), LEAST_GAP_S)


def levels(rule: Rule) -> tuple[float, float, bool]:
    """(level to raise, level to stay raised, closed) for the number that is watched, which is turned so that more is worse.

    The second is the decimal that is meant: 4.6 less 1.0 is 3.6, and a reading of 3.6 clears.
    """
    if rule.sense == "below" and not rule.learns:  # x < level + hysteresis keeps it raised: -x > -(level + hysteresis)
        return -rule.level, -round(rule.level + rule.hysteresis, LEVEL_DECIMALS), False
    return rule.level, round(rule.level - rule.hysteresis, LEVEL_DECIMALS), rule.by_change
