"""What the radar at the quay edge sees in half an hour: boats that come in, people who walk across its beam, gulls, rain, a fender that
sways. All of it made up; what truly came is known.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

import numpy as np

from lantern.core.radar.returns import Returns
from lantern.core.scoring.marks import Label, Mark
from lantern.standins.targets import Gull, Thing, Where, flock, straight

SCANS_HZ, LENGTH_S, SEED = 10.0, 1800.0, 20_260_313
REACH_M, LEAST_M = 70.0, 1.5
RANGE_SPREAD_M, AZIMUTH_SPREAD_DEG, SPEED_SPREAD_MPS, SEEN_SHARE = 0.12, 0.8, 0.06, 0.93
WALK_MPS, WALK_Y_M, WALK_FROM_M = 1.2, 25.0, 49.0  # the walk along the quay, as the plan has it
BOATS = (
    (150.0, 62.0, 17.0, 9.0, 8.0, 1.4),
    (820.0, -60.0, 15.0, -8.0, 9.0, 1.1),
    (1400.0, 66.0, 9.0, 10.0, 6.0, 1.8),
)
LEAVES = (560.0, -9.0, 10.0, -62.0, 18.0, 1.3)
WALKS_S = (330.0, 1120.0, 1620.0)
TO_GANGWAY_S, GANGWAY_FROM_M, GANGWAY_TO_M = (
    (250.0, 700.0, 1290.0),
    7.0,
    -6.0,
)  # from the hall's door: across the beam all along
# a walk to register the radar by, to and fro on the quay, from the radar's own place: (x, y) m
REGISTER_S = 860.0
REGISTER_WAY = ((-25.0, 28.0), (0.0, 42.0), (-20.0, 44.0), (5.0, 30.0), (-12.0, 26.0))
GULLS, RAIN_S = 90, ((980.0, 1100.0),)
DROPS_EVERY_S = 1.6
LOOK_S = 0.5  # nothing is there for less


@dataclass(frozen=True)
class Quay:
    """What the radar said, and what truly came: (from, to, what, what to make of it) each."""

    returns: Returns
    came: tuple[tuple[float, float, str, Label], ...]

    def marks(self, detector: str) -> list[Mark]:
        """Return what should raise: boats that come in, and whoever walks along the quay; what should not; and what is of no account."""
        return [Mark(start, end, label, detector, what) for start, end, what, label in self.came]


@lru_cache
def half_an_hour() -> Quay:
    rng = np.random.default_rng(SEED)
    things = list(_things(rng))
    rows = sorted(row for thing in things for row in _seen(thing, rng))
    ids = tuple(dict.fromkeys(row[1] for row in rows))
    place = {name: at for at, name in enumerate(ids)}
    columns = np.array([[row[0], *row[2:]] for row in rows]).T
    returns = Returns(
        t_s=columns[0],
        target=np.array([place[row[1]] for row in rows], dtype=np.intp),
        range_m=columns[1],
        azimuth_deg=columns[2],
        speed_mps=columns[3],
        rcs_dbsm=columns[4],
        ids=ids,
    )
    return Quay(returns, tuple(_came()))


def _came() -> Iterator[tuple[float, float, str, Label]]:
    for t, *_ in BOATS:
        yield t, t + 25.0, "a boat comes in", "expect"
    yield LEAVES[0], LEAVES[0] + 25.0, "a boat leaves", "quiet"
    for t in WALKS_S:
        yield t, t + 2 * WALK_FROM_M / WALK_MPS, "somebody walks along the quay", "expect"
    for t in TO_GANGWAY_S:
        yield t, t + (GANGWAY_FROM_M - GANGWAY_TO_M) / WALK_MPS, "somebody walks to the gangway", "expect"
    yield REGISTER_S, REGISTER_S + register_lasts_s(), "somebody walks to register it", "ignore"
    for start, end in RAIN_S:
        yield start, end, "rain", "quiet"
    for gull in gulls():
        yield gull.t, gull.t + gull.lasts_s + 1, "gulls", "quiet"


def _things(rng: np.random.Generator) -> Iterator[Thing]:
    for number, (t, *way) in enumerate((*BOATS, LEAVES), 1):
        yield Thing(f"b{number}", straight(t, *way), 12.0, 3.0)
    for number, t in enumerate(WALKS_S, 1):
        yield Thing(f"w{number}", straight(t, -WALK_FROM_M, WALK_Y_M, WALK_FROM_M, WALK_Y_M, WALK_MPS), -2.0, 2.0)
    for number, t in enumerate(TO_GANGWAY_S, len(WALKS_S) + 1):
        yield Thing(f"w{number}", straight(t, GANGWAY_FROM_M, WALK_Y_M, GANGWAY_TO_M, WALK_Y_M, WALK_MPS), -2.0, 2.0)
    yield Thing("w7", register_walk, -2.0, 2.0)
    yield Thing("f1", lambda t: (3.0, 6.0 + 0.25 * float(np.sin(1.9 * t)) + 0.1 * float(np.sin(0.31 * t))), 2.0, 1.5)
    for number, gull in enumerate(gulls(), 1):
        yield Thing(f"g{number}", gull.where, -21.0, 2.5)
    for start, end in RAIN_S:
        for number, t in enumerate(np.arange(start, end, DROPS_EVERY_S).tolist()):
            yield Thing(f"r{number + 1}", _drop(t, rng), -17.0, 3.0)


def register_lasts_s() -> float:
    return sum(math.dist(one, other) for one, other in pairwise(REGISTER_WAY)) / WALK_MPS


def register_walk(now: float) -> tuple[float, float] | None:
    """Where whoever walks to register the radar is at a time."""
    left = (now - REGISTER_S) * WALK_MPS
    for one, other in pairwise(REGISTER_WAY):
        leg = math.dist(one, other)
        if 0 <= left <= leg:
            return one[0] + left / leg * (other[0] - one[0]), one[1] + left / leg * (other[1] - one[1])
        left -= leg
    return None


@lru_cache
def gulls() -> tuple[Gull, ...]:
    return flock(SEED + 1, GULLS, LENGTH_S, 25.0, (4.0, 30.0))


def _drop(t: float, rng: np.random.Generator) -> Where:
    x, y, lasts = float(rng.uniform(-4, 4)), float(rng.uniform(1.5, 6)), float(rng.uniform(0.8, 3.0))
    drift = float(rng.normal(0, 0.5))

    def where(now: float) -> tuple[float, float] | None:
        since = now - t
        return (x, y + drift * since) if 0 <= since <= lasts else None

    return where


def _scans(thing: Thing) -> range:
    """The scans in which it is there, and one to either side: most things are there for seconds of half an hour."""
    count, coarse = round(LENGTH_S * SCANS_HZ), round(LOOK_S * SCANS_HZ)
    there = [scan for scan in range(0, count, coarse) if thing.where(scan / SCANS_HZ) is not None]
    return range(max(there[0] - coarse, 0), min(there[-1] + coarse + 1, count)) if there else range(0)


def _seen(thing: Thing, rng: np.random.Generator) -> Iterator[tuple[float, str, float, float, float, float]]:
    step = 1 / SCANS_HZ
    for scan in _scans(thing):
        t = scan * step
        here, before = thing.where(t), thing.where(t - step)
        if here is None or before is None:
            continue
        away, earlier = float(np.hypot(*here)), float(np.hypot(*before))
        size = thing.rcs_dbsm + rng.normal(0, thing.spread_db)
        far_m = min(REACH_M * 10 ** (size / 40), REACH_M)  # range goes with the fourth root of the size
        if not LEAST_M <= away <= far_m or here[1] < 0 or rng.random() > SEEN_SHARE:
            continue
        speed = (away - earlier) / step
        yield (
            round(t, 3),
            thing.name,
            round(max(away + rng.normal(0, RANGE_SPREAD_M), 0.0), 2),
            round(float(np.degrees(np.arctan2(here[0], here[1]))) + rng.normal(0, AZIMUTH_SPREAD_DEG), 1),
            round(speed + rng.normal(0, SPEED_SPREAD_MPS), 2),
            round(size, 1),
        )
