"""Rows of a sweep: stretches of a dial, or single values, each with one result."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from lantern.core.faults import Fault, Refused

MOST_VALUES = 20_000


@dataclass(frozen=True, slots=True)
class Row:
    """The dial's values from `start` to `stop` give the same result; `value` lies inside."""

    start: float
    stop: float
    value: float
    result: Any

    def printed(self, columns: Sequence[str]) -> tuple[float | int | None, ...]:
        """Return the row as it is printed, with these figures of its result."""
        return (self.start, self.stop, self.value, *(getattr(self.result, name) for name in columns))


def value_inside(start: float, stop: float) -> float:
    """A short number strictly inside the stretch, near its middle (the middle itself where it is very narrow)."""
    middle = (start + stop) / 2
    for decimals in range(-1, 9):
        value = round(middle, decimals)
        if start < value < stop and abs(value - middle) <= (stop - start) / 4:
            return value
    return middle


def values_in(low: float, high: float, step: float) -> list[float]:
    """`low`, `low + step`, ... up to `high`, free of summed rounding."""
    faults = []
    if not all(map(math.isfinite, (low, high, step))) or step <= 0:
        faults.append(Fault("--step", f"step {step:g}", "a number above 0"))
    elif high < low:
        faults.append(Fault("--to", f"{high:g} is below --from {low:g}", "a range that runs upwards"))
    elif (high - low) / step > MOST_VALUES:
        faults.append(
            Fault("--step", f"{(high - low) / step:.0f} values", f"at most {MOST_VALUES} values: a larger step")
        )
    if faults:
        raise Refused(faults)
    return [round(low + i * step, 10) for i in range(math.floor((high - low) / step + 1e-9) + 1)]
