"""Registration from standing points: where somebody stood on the plan, from when until when, against what the radar saw then."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import product
from typing import NamedTuple

import numpy as np

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.registration.fits import rigid
from lantern.core.signals import Floats

FEWEST = 4  # for a check of any worth; common practice, no source
MOST_TRIED = 20_000  # ways to say who of those that were seen it was


Seen = tuple[str, tuple[float, float]]  # a target, and the mean of its places


class Point(NamedTuple):
    """A place on the plan where somebody stood from `from_s` to `until_s`; `target`: who it was for the radar, empty: whoever fits."""

    x_m: float
    y_m: float
    from_s: float
    until_s: float
    target: str = ""


def stood(points: Sequence[Point], targets: Sequence[tuple[str, Floats, Floats]]) -> tuple[Floats, list[str]]:
    """Return (n, 4) pairs of the mean place that the radar gave and the place on the plan, and which target each was. `targets`: (name,
    times (n,), places (n, 2)) each. Raises `Refused` for too few points, and for one at which nobody was seen.
    """
    faults = FaultList()
    if len(points) < FEWEST:
        faults.add("points", f"{len(points)} of them", f"at least {FEWEST}, spread out")
    seen: list[list[Seen]] = []
    for number, point in enumerate(points, 1):
        here = [(name, _mean(point, t_s, places)) for name, t_s, places in targets if point.target in ("", name)]
        found = [(name, mean) for name, mean in here if mean is not None]
        if not found:
            whom = f"target {point.target}" if point.target else "nothing"
            faults.add(
                f"point {number}",
                f"{whom} was seen from {point.from_s:g} to {point.until_s:g} s",
                "a time at which the radar saw it",
            )
        seen.append(found)
    faults.refuse_if_any()
    if np.prod([float(len(each)) for each in seen]) > MOST_TRIED:
        raise Refused(
            [Fault("points", "too many targets were about to say who stood there", "the target of some of them")]
        )
    onto = np.array([(point.x_m, point.y_m) for point in points])
    best = float("inf")
    who: tuple[Seen, ...] = tuple(each[0] for each in seen)
    for chosen in product(*seen):
        first = np.array([mean for _, mean in chosen])
        if len(np.unique(first, axis=0)) < len(first):
            continue
        rms = float(np.sqrt((rigid(first, onto).residuals(first, onto) ** 2).mean()))
        if rms < best:
            best, who = rms, chosen
    return np.column_stack((np.array([mean for _, mean in who]), onto)), [name for name, _ in who]


def _mean(point: Point, t_s: Floats, places: Floats) -> tuple[float, float] | None:
    there = (t_s >= point.from_s) & (t_s <= point.until_s)
    if not there.any():
        return None
    x, y = places[there].mean(axis=0)
    return float(x), float(y)
