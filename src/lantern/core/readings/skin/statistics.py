"""How well a temperature tells the marked people from the others, and what a positive then means."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from lantern.core.scoring.intervals import wilson


@dataclass(frozen=True)
class Roc:
    """Operating points from none positive to all: threshold (>= is positive), sensitivity, 1 - specificity; area beneath."""

    thresholds: tuple[float, ...]
    sensitivity: tuple[float, ...]
    false_share: tuple[float, ...]
    area: float

    def youden(self) -> tuple[float, float]:
        """(threshold, J) with the greatest J = sensitivity + specificity - 1; the threshold half-way to the next lower score."""
        j = np.subtract(self.sensitivity, self.false_share)
        at = int(np.argmax(j))
        following = self.thresholds[at + 1] if at + 1 < len(self.thresholds) else self.thresholds[at]
        return (self.thresholds[at] + following) / 2, float(j[at])

    def as_dict(self) -> dict[str, Any]:
        threshold, j = self.youden()
        shown = [None if math.isinf(t) else t for t in self.thresholds]
        return asdict(self) | {"thresholds": shown, "youden_c": threshold, "youden_j": j}


def roc(scores: Sequence[float], positive: Sequence[bool]) -> Roc | None:
    """Return the curve; None where all or none are positive. Equal scores move together (textbook)."""
    values, truth = np.asarray(scores, dtype=np.float64), np.asarray(positive, dtype=np.bool_)
    if truth.all() or not truth.any():
        return None
    order = np.argsort(-values, kind="stable")
    values, truth = values[order], truth[order]
    last = np.append(np.flatnonzero(np.diff(values)), values.size - 1)
    hits, falses = np.cumsum(truth)[last], np.cumsum(~truth)[last]
    sensitivity = np.concatenate(([0.0], hits / truth.sum()))
    false_share = np.concatenate(([0.0], falses / (~truth).sum()))
    thresholds = np.concatenate(([np.inf], values[last]))
    area = float(np.trapezoid(sensitivity, false_share))
    return Roc(tuple(thresholds.tolist()), tuple(sensitivity.tolist()), tuple(false_share.tolist()), area)


def positive_predictive(sensitivity: float, specificity: float, prevalence: float) -> float:
    """The share of the positives who truly are: few, where few are at all (Bayes)."""
    true, false = sensitivity * prevalence, (1 - specificity) * (1 - prevalence)
    return true / (true + false)


def shares(hits: int, misses: int, false_alarms: int, cleared: int) -> dict[str, Any]:
    """Sensitivity and specificity with their intervals; None where nobody was."""
    caught, passed = wilson(hits, hits + misses), wilson(cleared, cleared + false_alarms)
    return {
        "sensitivity": hits / (hits + misses) if hits + misses else None,
        "sensitivity_interval": caught,
        "specificity": cleared / (cleared + false_alarms) if cleared + false_alarms else None,
        "specificity_interval": passed,
    }
