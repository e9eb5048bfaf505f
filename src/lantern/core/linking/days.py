"""A made-up day of a site: each hour of each device is filled with a take of that device which was recorded at that hour, by chance from a seed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

HOUR_S, HOURS = 3600.0, 24
DAY_S = HOURS * HOUR_S
LEAST_S = 1.0  # a shorter take fills no hour


@dataclass(frozen=True)
class Piece:
    """A take: which, of which device, when on its day it was recorded (s since local midnight), and for how long."""

    key: int
    device: str
    from_s: float
    length_s: float

    def is_of(self, hour: int) -> bool:
        """Return whether some of it was recorded in an hour of the day; one that lasts beyond midnight goes on in the first hours."""
        begins = (hour * HOUR_S - self.from_s) % DAY_S
        return begins < self.length_s or begins > DAY_S - HOUR_S


@dataclass(frozen=True)
class MadeUp:
    """`begins`: by take, each time that it is played from, in s of the day, rising. `unknown`: by device, the hours of which no take tells."""

    begins: Mapping[int, tuple[float, ...]]
    unknown: Mapping[str, tuple[int, ...]]


def made_up_day(pieces: Sequence[Piece], seed: int) -> MadeUp:
    """Return a day. Takes of one device follow each other, each to its end; those of several devices are drawn independently, so that what
    happened at two of them at once is by chance too.
    """
    begins: dict[int, list[float]] = {}
    unknown: dict[str, tuple[int, ...]] = {}
    for device in sorted({each.device for each in pieces}):
        own = sorted((each for each in pieces if each.device == device and each.length_s >= LEAST_S), key=_order)
        rng = np.random.default_rng([seed, *device.encode()])
        t, dark = 0.0, []
        for hour in range(HOURS):
            there = [each for each in own if each.is_of(hour)]
            if not there:
                dark.append(hour)
                continue
            t = max(t, hour * HOUR_S)
            while t < (hour + 1) * HOUR_S:
                drawn = there[int(rng.integers(len(there)))]
                begins.setdefault(drawn.key, []).append(t)
                t += drawn.length_s
        unknown[device] = tuple(dark)
    return MadeUp({key: tuple(times) for key, times in begins.items()}, unknown)


def _order(piece: Piece) -> tuple[float, int]:
    return piece.from_s, piece.key
