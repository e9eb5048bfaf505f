"""One measured figure, and how it is printed."""

from __future__ import annotations

import math
import os
import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

T = TypeVar("T")
SMALL = bool(os.environ.get("LANTERN_BENCH_SMALL"))  # does it run at all? The figures then mean nothing


def sized(full: T, small: T) -> T:
    """Return the size of a measurement, or one so small that a test can see it run to its end."""
    return small if SMALL else full


@dataclass(frozen=True)
class Figure:
    what: str
    value: float  # not a number: nothing came that could be measured
    unit: str
    wish: float | None = None  # at most this

    def __str__(self) -> str:
        verdict = (
            ""
            if self.wish is None
            else f"   (wish: at most {self.wish:g} {self.unit})" + ("" if self.value <= self.wish else "   MISSED")
        )
        value = "none came" if math.isnan(self.value) else f"{self.value:.3g} {self.unit}"
        return f"{self.what:<66} {value:>13}{verdict}"


def seconds(work: Callable[[], object], times: int = 3) -> float:
    """The median of a few runs."""
    taken = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        taken.append(time.perf_counter() - began)
    return statistics.median(taken)


def percentile(values: list[float], share: float) -> float:
    """Return it, or not a number where nothing came: on a starved machine a short measurement may see none."""
    ordered = sorted(values)
    return ordered[min(int(share * len(ordered)), len(ordered) - 1)] if ordered else math.nan
