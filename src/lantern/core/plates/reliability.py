"""Is a reader as sure as it should be? Its confidence against how often it is right, and what would mend it.

Mended by a temperature (sigmoid(logit(q) / T), Platt's family with one parameter) or by isotonic regression (pool adjacent
violators, of scipy). What mends is judged on plates that it was not fitted on.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from lantern.core.signals import Floats
from lantern.core.watching import Bools

BINS = 10
LEAST = 40  # characters, and both right and wrong ones, before anything is fitted
LEAST_PLATES = (
    15  # to fit on, and as many to judge on: characters of one plate err together; common practice, no source
)
CLIP = 1e-3
HOTTEST = 8.0  # the temperature is looked for from 1 / HOTTEST to HOTTEST


@dataclass(frozen=True)
class Bin:
    """Characters of about one confidence: how many, how sure on the mean, how often right."""

    low: float
    high: float
    n: int
    sure: float
    right: float

    def as_dict(self) -> dict[str, Any]:
        return {"low": self.low, "high": self.high, "n": self.n, "sure": self.sure, "right": self.right}


def reliability(q: Floats, right: Bools) -> list[Bin]:
    """Ten equal bins; those that nobody is in are left out."""
    at = np.clip((q * BINS).astype(int), 0, BINS - 1)
    out = []
    for number in range(BINS):
        own = at == number
        if own.any():
            here = Bin(
                number / BINS, (number + 1) / BINS, int(own.sum()), float(q[own].mean()), float(right[own].mean())
            )
            out.append(here)
    return out


def expected_error(q: Floats, right: Bools) -> float:
    """Expected calibration error: the mean distance of confidence and share of right ones, by the bins of `reliability`."""
    return sum(each.n * abs(each.sure - each.right) for each in reliability(q, right)) / max(q.size, 1)


def tempered(q: Floats, temperature: float) -> Floats:
    """sigmoid(logit(q) / T)."""
    held = np.clip(q, CLIP, 1 - CLIP)
    return np.asarray(1 / (1 + np.exp(-np.log(held / (1 - held)) / temperature)))


def log_loss(q: Floats, right: Bools) -> float:
    held = np.clip(q, CLIP, 1 - CLIP)
    return float(-np.where(right, np.log(held), np.log(1 - held)).mean())


def temperature_of(q: Floats, right: Bools) -> float:
    """The temperature of least log loss. The library is fetched where it is asked for: it takes long, and few ever ask."""
    from scipy.optimize import minimize_scalar

    found = minimize_scalar(
        lambda ln: log_loss(tempered(q, float(np.exp(ln))), right),
        bounds=(-np.log(HOTTEST), np.log(HOTTEST)),
        method="bounded",
    )
    return float(np.exp(found.x))


def isotonic(q: Floats, right: Bools) -> tuple[Floats, Floats]:
    """(confidences in order, how often right): a step function that never falls."""
    from scipy.optimize import isotonic_regression

    order = np.argsort(q, kind="stable")
    values, first = np.unique(q[order], return_index=True)
    counts = np.diff(np.append(first, q.size))
    means = np.add.reduceat(right[order].astype(np.float64), first) / counts
    return values, np.asarray(isotonic_regression(means, weights=counts).x)


def mended(q: Floats, right: Bools, plate: Sequence[str]) -> dict[str, Any] | None:
    """Return what a temperature and isotonic regression, fitted on every other plate, do on the rest; None: too few
    characters or plates.

    `plate` (n,): which plate each character is of, for those of one plate err together.
    """
    names = {name: n for n, name in enumerate(sorted(set(plate)))}
    fitted = np.array([names[name] % 2 == 0 for name in plate], dtype=np.bool_)
    for half in (fitted, ~fitted):
        own, plates = right[half], {name for name, inside in zip(plate, half, strict=True) if inside}
        if own.size < LEAST or len(plates) < LEAST_PLATES or own.all() or not own.any():
            return None
    temperature = temperature_of(q[fitted], right[fitted])
    values, means = isotonic(q[fitted], right[fitted])
    ways = {
        "as it is": q[~fitted],
        "temperature": tempered(q[~fitted], temperature),
        "isotonic": np.interp(q[~fitted], values, means),
    }
    judged = {
        name: {"error": expected_error(p, right[~fitted]), "log_loss": log_loss(p, right[~fitted])}
        for name, p in ways.items()
    }
    return {
        "temperature": round(temperature_of(q, right), 2),
        "held_out": int((~fitted).sum()),
        "plates": len(names),
        "ways": judged,
    }
