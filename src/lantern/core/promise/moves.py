"""Other places and aims of what is mounted, the nearest first: where a search for the least move looks."""

from __future__ import annotations

import math
from collections.abc import Iterator

MOST_MOVE_M = 40
WAYS = 24
TURN_DEG, FARTHEST_TURN_DEG = 10, 60


def rings(x_m: float, y_m: float) -> Iterator[list[tuple[float, float]]]:
    """Yield places round a place, 24 ways, by half metres."""
    for step in range(1, 2 * MOST_MOVE_M + 1):
        yield [
            (round(x_m + step / 2 * math.sin(angle), 2), round(y_m + step / 2 * math.cos(angle), 2))
            for angle in (way * 2 * math.pi / WAYS for way in range(WAYS))
        ]


def turns(azimuth_deg: float, x_m: float, y_m: float, middle: tuple[float, float]) -> list[float]:
    """Return the azimuths worth trying at a place: as it was, then towards the middle of what it is for, then ever more aside."""
    towards = math.degrees(math.atan2(middle[0] - x_m, middle[1] - y_m))
    aside = sorted(range(-FARTHEST_TURN_DEG, FARTHEST_TURN_DEG + 1, TURN_DEG), key=abs)
    return [azimuth_deg, *(float(round(towards + turn) % 360) for turn in aside)]
