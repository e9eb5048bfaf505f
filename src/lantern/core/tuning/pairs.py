"""Two dials at once: a map of what each pair of values gives by every measure, and its Pareto front.

Row by row: one dial is set, the other is swept exactly where it can be, so that forty rows cost forty sweeps and not
sixteen hundred runs.
"""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from lantern.core.dials import describe_dial
from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.scoring.marks import Mark
from lantern.core.signals import Floats
from lantern.core.tunable import Tunable
from lantern.core.tuning.measures import AnyYardstick
from lantern.core.tuning.rows import Row

MOST_VALUES = 40
Progress = Callable[[int, int], None]


@dataclass(frozen=True)
class PairMap:
    """`values`: by measure, (len(y), len(x)) over all takes together; NaN where there was nothing to measure."""

    yardstick: AnyYardstick
    dial_x: str
    dial_y: str
    x: tuple[float, ...]
    y: tuple[float, ...]
    values: Mapping[str, Floats]

    def as_dict(self) -> dict[str, Any]:
        shown = {
            name: [[None if np.isnan(v) else round(float(v), 2) for v in row] for row in column]
            for name, column in self.values.items()
        }
        return {
            "dial_x": self.dial_x,
            "dial_y": self.dial_y,
            "x": list(self.x),
            "y": list(self.y),
            "measures": [measure.as_dict() for measure in self.yardstick.measures],
            "values": shown,
            "front": [list(cell) for cell in self.front()],
            "robust": list(self.robust()),
        }

    def front(self) -> list[tuple[int, int]]:
        """(row, column) of the pairs that none beats in all measures at once; the first of equals."""
        cells = [(r, c) for r in range(len(self.y)) for c in range(len(self.x))]
        return [cells[i] for i in pareto([self.cost(cell) for cell in cells])]

    def robust(self) -> tuple[int, int]:
        """(row, column) whose worst neighbour is best, the gravest measure first: what a small drift does not spoil."""
        worth = np.zeros((len(self.y), len(self.x)))
        for measure in self.yardstick.parting:
            lost = np.nan_to_num(measure.away(self.values[measure.name]))
            worth = worth * (lost.max() + 1) + lost
        return robust_cell(worth)[:2]

    def cost(self, cell: tuple[int, int]) -> tuple[float, ...]:
        """Return what the pair loses by each measure; what could not be measured costs all."""
        lost = (m.away(float(self.values[m.name][cell])) for m in self.yardstick.measures)
        return tuple(math.inf if math.isnan(each) else each for each in lost)


def pareto(costs: Sequence[Sequence[float]]) -> list[int]:
    """Indices of the costs that no other beats or equals in all and beats in one; of equal ones the first. By first cost."""
    order = sorted(range(len(costs)), key=lambda i: tuple(costs[i]))
    kept: list[int] = []
    for i in order:  # whoever dominates comes before in this order
        if not any(all(a <= b for a, b in zip(costs[k], costs[i], strict=True)) for k in kept):
            kept.append(i)
    return kept


def robust_cell(worth: Any) -> tuple[int, int, float]:
    """(row, column, worst): least of the greatest value in the 3 x 3 neighbourhood, clipped at the edge; ties by its own."""
    padded = np.pad(worth.astype(float), 1, constant_values=-np.inf)
    rows, columns = worth.shape
    worst = np.max([padded[r : r + rows, c : c + columns] for r in range(3) for c in range(3)], axis=0)
    at = min(np.ndindex(rows, columns), key=lambda cell: (worst[cell], worth[cell]))
    return at[0], at[1], float(worst[at])


def check_pair(subject: Tunable, dial_x: str, dial_y: str, x: Sequence[float], y: Sequence[float]) -> None:
    """Refuse a map of one dial by itself, of dials that play no part, or of too many values."""
    faults = FaultList()
    if dial_x == dial_y:
        faults.add("dial_y", f"{dial_y} is the other dial already", "two dials")
    for name, values in ((dial_x, x), (dial_y, y)):
        if not describe_dial(subject.model, name).numeric:
            faults.add(f"dials.{name}", "has no range", "a numeric dial")
        elif not subject.matters(name):
            faults.add(f"dials.{name}", "plays no part under the other dials", "a dial that does")
        if not 2 <= len(values) <= MOST_VALUES:
            faults.add(f"dials.{name}", f"{len(values)} values", f"2 to {MOST_VALUES} values")
    faults.refuse_if_any()


def map_pair(
    held: Sequence[tuple[Tunable, Sequence[Mark]]],
    dial_x: str,
    dial_y: str,
    x: Sequence[float],
    y: Sequence[float],
    *,
    progress: Progress = lambda done, total: None,
) -> PairMap:
    """`held`: the detector on each take, with the marks there. Dials that cannot stand together are refused, named."""
    for subject, _ in held:
        check_pair(subject, dial_x, dial_y, x, y)
    yardstick = held[0][0].yardstick
    values = {measure.name: np.full((len(y), len(x)), np.nan) for measure in yardstick.measures}
    exact_y = all(dial_y in subject.exact_dials() for subject, _ in held)
    done, total = 0, len(held) * (len(x) if exact_y else len(y))
    for subject, marks in held:
        own = subject.own(marks)
        for at, value in enumerate(x if exact_y else y):
            if exact_y:  # columns: x is set, y swept
                results = _along(subject.with_dials(**{dial_x: value}), dial_y, y, own)
            else:
                results = _along(subject.with_dials(**{dial_y: value}), dial_x, x, own)
            for along, result in enumerate(results):
                cell = (along, at) if exact_y else (at, along)
                for measure, found in zip(yardstick.measures, yardstick.values(result), strict=True):
                    before = float(values[measure.name][cell])
                    pooled = measure.pooled([None if math.isnan(before) else before, found])
                    values[measure.name][cell] = np.nan if pooled is None else pooled
            done += 1
            progress(done, total)
    return PairMap(yardstick, dial_x, dial_y, tuple(x), tuple(y), values)


def _along(subject: Tunable, dial: str, values: Sequence[float], own: Sequence[Mark]) -> list[Any]:
    """The result at each value of a dial, from one exact sweep where there is one."""
    if dial not in subject.exact_dials() or len(values) < 4:
        return [subject.with_dials(**{dial: value}).result(own) for value in values]
    # a value on a border belongs to neither stretch for sure, so the ends are set wider and borders are run anew
    rows = subject.rows_exact(dial, own, values[0] - 1e-6, values[-1] + 1e-6, whole=True)
    stops = [row.stop for row in rows]
    return [_at(subject, dial, value, rows[bisect_left(stops, value)], own) for value in values]


def _at(subject: Tunable, dial: str, value: float, row: Row, own: Sequence[Mark]) -> Any:
    if min(value - row.start, row.stop - value) < 1e-7:
        return subject.with_dials(**{dial: value}).result(own)
    return row.result


def values_between(low: float, high: float, count: int, step: float) -> list[float]:
    """Return at most `count` values on the dial's own steps, evenly from `low` to `high`."""
    if not low < high:
        raise Refused([Fault("range", f"{low:g} to {high:g}", "a range that runs upwards")])
    steps = sorted({round(v / step) for v in np.linspace(low, high, count)})
    return [round(at * step, 6) for at in steps]
