"""Alpha-beta filters: by what share a track follows what is measured of it."""

from __future__ import annotations

import math
from typing import NamedTuple


class Gains(NamedTuple):
    """Shares of what was missed that correct a place, and a speed (times the interval)."""

    alpha: float
    beta: float


def kalata(index: float) -> Gains:
    """Return the steady gains for a tracking index, acceleration times the interval squared over the spread of a place (Kalata 1984, from
    memory; H09).
    """
    r = (4 + index - math.sqrt(8 * index + index * index)) / 4
    alpha = 1 - r * r
    return Gains(alpha, 2 * (2 - alpha) - 4 * math.sqrt(1 - alpha))
