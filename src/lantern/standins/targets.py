"""What a radar stand-in sees: things that move before it, each with its size, and gulls among them."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

Place = tuple[float, float]  # m to the radar's right, m ahead
Where = Callable[[float], Place | None]  # at a time; None: not there


class Thing(NamedTuple):
    """`where` it is, how large, and by how much its size varies."""

    name: str
    where: Where
    rcs_dbsm: float
    spread_db: float


def straight(t: float, x0: float, y0: float, x1: float, y1: float, speed: float) -> Where:
    """From one place to another, from `t` on, at a steady speed."""
    takes = float(np.hypot(x1 - x0, y1 - y0)) / speed

    def where(now: float) -> Place | None:
        share = (now - t) / takes
        return (x0 + share * (x1 - x0), y0 + share * (y1 - y0)) if 0 <= share <= 1 else None

    return where


class Gull(NamedTuple):
    """It flies from `t` on for so long, straight."""

    t: float
    lasts_s: float
    x: float
    y: float
    turn: float
    speed: float

    def where(self, now: float) -> Place | None:
        since = now - self.t
        way = self.speed * since
        there = (self.x + way * np.cos(self.turn), self.y + way * np.sin(self.turn))
        return there if 0 <= since <= self.lasts_s else None


def flock(seed: int, count: int, length_s: float, aside_m: float, ahead_m: tuple[float, float]) -> tuple[Gull, ...]:
    """Gulls over some ground, in the order of their coming."""
    rng = np.random.default_rng(seed)

    def one() -> Gull:
        t, lasts = rng.uniform(0, length_s - 10), rng.uniform(2, 7)
        x, y = rng.uniform(-aside_m, aside_m), rng.uniform(*ahead_m)
        return Gull(*(float(v) for v in (t, lasts, x, y, rng.uniform(0, 2 * np.pi), rng.uniform(4, 10))))

    return tuple(sorted(one() for _ in range(count)))
