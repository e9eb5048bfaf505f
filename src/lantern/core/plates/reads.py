"""What a plate reader gave: reads over time, with boxes of plate and vehicle."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from typing import Any, TypeVar

import numpy as np

from lantern.core.signals import Floats

EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
NOTHING = (np.nan,) * 4
T = TypeVar("T")


@dataclass(frozen=True)
class Reads:
    """n reads in order of time.

    `t_s` (n,) s from the take's start; `vehicle` (n,) names; `text` (n,) as read; `confidence` (n,); `plate`, `car` (n, 4) left,
    top, width, height in px, NaN where there is no box; `chars`: the confidences of a read's characters, where there are any;
    `truth` (n,) what somebody says it truly was, "" where nobody does; `also`: further columns, kept as they are.
    `start`: when the take began, in the zone whose days the lists go by.
    """

    t_s: Floats
    vehicle: tuple[str, ...]
    text: tuple[str, ...]
    confidence: Floats
    chars: tuple[tuple[float, ...], ...]
    plate: Floats
    car: Floats
    truth: tuple[str, ...]
    start: datetime = EPOCH
    also: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    light: str | None = None
    _kept: dict[Hashable, tuple[Hashable, Any]] = field(default_factory=dict, init=False, repr=False, compare=False)

    def __len__(self) -> int:
        return int(self.t_s.size)

    @property
    def length_s(self) -> float:
        return float(self.t_s[-1]) if len(self) else 0.0

    def day(self, t: float) -> date:
        return (self.start + timedelta(seconds=t)).date()

    def remember(self, key: Hashable, make: Callable[[], T]) -> T:
        """`make()`, or what it gave before; of each sort of thing (the first of `key`) the last."""
        sort = key[0] if isinstance(key, tuple) else key
        known = self._kept.get(sort)
        if known is None or known[0] != key:
            known = self._kept[sort] = (key, make())
        found: T = known[1]
        return found


# ---- one at a time ----


@dataclass(frozen=True, slots=True)
class Read:
    """What a reader says of one vehicle at one moment. `late`: it came too long after it was read to open anything."""

    vehicle: str
    text: str
    confidence: float
    chars: tuple[float, ...] = ()
    plate: tuple[float, ...] = ()  # left, top, width, height, px; empty: no box
    car: tuple[float, ...] = ()
    late: bool = False
