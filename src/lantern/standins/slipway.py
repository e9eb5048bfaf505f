"""What the radar behind the timber fence at the slipway's head sees in ten minutes: bare detections, for it follows nobody itself.

Before it, in its own frame: the fence that sways, and a metal container that somebody has put there, which hides what lies behind it.
People come up from the water, others walk past; a lorry comes along the quay road, a fan in the shed's wall is switched on; gulls; and
noise that now and then is strong enough.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from lantern.core.radar.returns import NOBODY, Returns
from lantern.core.scoring.marks import Label, Mark
from lantern.standins.targets import Gull, Thing, Where, flock, straight

SCANS_HZ, LENGTH_S, SEED = 5.0, 600.0, 20_260_314
PERSON_M, NOISE_CELLS = 25.0, 16  # to a person of 1 m2, through wet wood
LEAST_SNR_DB, AT_REACH_DB, NOISE_DB = 8.0, 12.0, -95.0  # what is detected at all; of a person at its reach; the noise
FALSE_A_SCAN, WEAK_DB = 0.2, (8.0, 11.5)
RANGE_SPREAD_M, AZIMUTH_SPREAD_DEG, SPEED_SPREAD_MPS = 0.12, 0.9, 0.08
WALK_MPS = 1.2
UP = (
    (60.0, -3.0, 24.0, -1.0, 5.0),
    (210.0, 1.0, 25.0, 2.0, 6.0),
    (330.0, 4.0, 24.0, 0.0, 5.0),
    (450.0, -6.0, 23.0, -2.0, 5.0),
    (540.0, 0.0, 25.0, 1.0, 6.0),
)
PAST = ((130.0, -14.0, 9.0, 14.0, 12.0), (400.0, 15.0, 10.0, -13.0, 8.0))
LORRIES = ((165.0, -13.0, 22.0, 3.0, 8.0), (480.0, 12.0, 20.0, -4.0, 7.0))
LORRY_MPS, LORRY_DBSM, LORRY_LONG_M = 3.0, 16.0, (0.0, 2.5, 5.0)  # it answers from several places along it
FAN_M, FAN_DBSM, FAN_SWINGS_M = (-7.0, 8.0), -2.0, 0.15
FAN_RUNS = ((270.0, 295.0), (375.0, 395.0))
CONTAINER = ((5.0, 11.0), (10.0, 11.0), (10.0, 13.5), (5.0, 13.5))  # opaque
FENCE = tuple((x, 2.6 + 0.1 * x) for x in (-4.0, -2.0, 0.0, 2.0, 4.0))
GULLS = 16


@dataclass(frozen=True)
class Slipway:
    """What the radar said, and what truly came: (from, to, what, what to make of it) each."""

    returns: Returns
    came: tuple[tuple[float, float, str, Label], ...]

    def marks(self, detector: str) -> list[Mark]:
        return [Mark(start, end, label, detector, what) for start, end, what, label in self.came]


@lru_cache
def gulls() -> tuple[Gull, ...]:
    return flock(SEED + 1, GULLS, LENGTH_S, 12.0, (5.0, 16.0))


@lru_cache
def ten_minutes() -> Slipway:
    rng = np.random.default_rng(SEED)
    things = list(_things())
    rows = [row for scan in range(round(LENGTH_S * SCANS_HZ)) for row in _scan(scan / SCANS_HZ, things, rng)]
    t_s, range_m, azimuth, speed, size, snr = np.array(rows).T
    returns = Returns(
        t_s=t_s,
        target=np.zeros(t_s.size, dtype=np.intp),
        range_m=range_m,
        azimuth_deg=azimuth,
        speed_mps=speed,
        rcs_dbsm=size,
        ids=NOBODY,
        snr_db=snr,
        noise_db=np.full(t_s.size, NOISE_DB),
        noise_cells=NOISE_CELLS,
    )
    return Slipway(returns, tuple(_came()))


def _came() -> Iterator[tuple[float, float, str, Label]]:
    for t, *way in UP:
        yield t, t + _takes_s(*way), "somebody comes up the slipway", "expect"
    for t, *way in PAST:
        yield t, t + _takes_s(*way), "somebody walks past", "quiet"
    for t, *way in LORRIES:
        yield t, t + _takes_s(*way, speed_mps=LORRY_MPS) + 2, "a lorry", "quiet"
    for start, end in FAN_RUNS:
        yield start, end + 1, "a fan", "quiet"
    for gull in gulls():
        yield gull.t, gull.t + gull.lasts_s + 1, "gulls", "quiet"


def _takes_s(x0: float, y0: float, x1: float, y1: float, *, speed_mps: float = WALK_MPS) -> float:
    return float(np.hypot(x1 - x0, y1 - y0)) / speed_mps


def _things() -> Iterator[Thing]:
    for number, (t, *way) in enumerate((*UP, *PAST), 1):
        x0, y0, x1, y1 = way
        yield Thing(f"p{number}", straight(t, x0, y0, x1, y1, WALK_MPS), 0.0, 2.0)
    for number, (t, x0, y0, x1, y1) in enumerate(LORRIES, 1):
        for part, behind_m in enumerate(LORRY_LONG_M):
            later = t + behind_m / LORRY_MPS
            yield Thing(f"l{number}{part}", straight(later, x0, y0, x1, y1, LORRY_MPS), LORRY_DBSM, 4.0)
    yield Thing("fan", _turns(*FAN_M), FAN_DBSM, 2.0)
    for number, gull in enumerate(gulls(), 1):
        yield Thing(f"g{number}", gull.where, -20.0, 2.0)
    for number, (x, y) in enumerate(FENCE):
        yield Thing(f"f{number}", _sways(x, y, number), -6.0, 1.0)


def _turns(x: float, y: float) -> Where:
    """A fan's blades: they come nearer and go away faster than the radar looks, and stay where they are."""

    def where(t: float) -> tuple[float, float] | None:
        runs = any(start <= t <= end for start, end in FAN_RUNS)
        return (x, y + FAN_SWINGS_M * float(np.sin(17.0 * t))) if runs else None

    return where


def _sways(x: float, y: float, phase: int) -> Where:
    return lambda t: (x, y + 0.06 * float(np.sin(2.1 * t + phase)))


def _scan(t: float, things: list[Thing], rng: np.random.Generator) -> Iterator[tuple[float, ...]]:
    """(time, range, azimuth, speed, size, above the noise) of everything that is strong enough, and of noise that is."""
    step = 1 / SCANS_HZ
    for thing in things:
        here, before = thing.where(t), thing.where(t - step)
        if here is None or before is None or here[1] <= 0 or _hidden(here):
            continue
        away, earlier = float(np.hypot(*here)), float(np.hypot(*before))
        size = thing.rcs_dbsm + rng.normal(0, thing.spread_db)
        snr = AT_REACH_DB + size + 40 * np.log10(PERSON_M / away)
        if snr >= LEAST_SNR_DB:
            azimuth = float(np.degrees(np.arctan2(here[0], here[1])))
            yield _row(t, away, azimuth, (away - earlier) / step, size, float(snr), rng)
    for _ in range(rng.poisson(FALSE_A_SCAN)):
        away, azimuth = float(rng.uniform(3, PERSON_M)), float(rng.uniform(-60, 60))
        snr = float(rng.uniform(*WEAK_DB))
        size = snr - AT_REACH_DB - 40 * float(np.log10(PERSON_M / away))
        yield _row(t, away, azimuth, float(rng.normal(0, 1)), size, snr, rng)


def _row(
    t: float, away: float, azimuth: float, speed: float, size: float, snr: float, rng: np.random.Generator
) -> tuple[float, ...]:
    return (
        round(t, 3),
        round(max(away + rng.normal(0, RANGE_SPREAD_M), 0.0), 2),
        round(azimuth + rng.normal(0, AZIMUTH_SPREAD_DEG), 1),
        round(speed + rng.normal(0, SPEED_SPREAD_MPS), 2),
        round(size, 1),
        round(snr, 1),
    )


def _hidden(here: tuple[float, float]) -> bool:
    """Behind the container, which is opaque: between the bearings of its corners, and farther."""
    bearing = np.arctan2(here[0], here[1])
    corners = [np.arctan2(x, y) for x, y in CONTAINER]
    near = min(np.hypot(x, y) for x, y in CONTAINER)
    return bool(min(corners) <= bearing <= max(corners) and np.hypot(*here) > near)
