"""How loud a speaker is where somebody should hear it: distance, direction, air, what stands in the way, several together."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from pydantic import Field

from lantern.core.modelled import Strict
from lantern.core.optics.coverage import Wall, crossed
from lantern.core.optics.mount import Floats

TONE_HZ, AIR_C, AIR_PERCENT = 1000.0, 10.0, 70.0
SOUND_MPS = 340.0
EAR_M = 1.6
MOST_ASIDE_DB = 24.0  # behind a horn; common practice, no source
MOST_BARRIER_DB = 24.0  # Maekawa's chart ends there; from memory
MOST_AT_AN_EAR_DB = 118.0  # ISO 7731:2003, from memory, less sure
NEAREST_M = 1.0


class Speaker(Strict):
    """A speaker's mount, and what it gives: `sensitivity_db` at 1 W and 1 m; `angle_deg` the full angle
    within -6 dB.
    """

    x_m: float = Field(ge=-1e6, le=1e6)
    y_m: float = Field(ge=-1e6, le=1e6)
    height_m: float = Field(gt=0, le=1000)
    azimuth_deg: float = Field(default=0.0, ge=-360, le=360)
    tilt_deg: float = Field(default=0.0, ge=-90, le=90)
    sensitivity_db: float = Field(gt=0, le=140)
    watts: float = Field(gt=0, le=10_000)
    angle_deg: float = Field(default=360.0, gt=0, le=360)

    @property
    def at_1_m_db(self) -> float:
        return self.sensitivity_db + 10 * math.log10(self.watts)

    @property
    def eye(self) -> Floats:
        return np.array([self.x_m, self.y_m, self.height_m])


def at_distance_db(at_1_m_db: float, range_m: float) -> float:
    """L2 = L1 - 20 log10(r2 / r1), free field (I13)."""
    return at_1_m_db - 20 * math.log10(max(range_m, NEAREST_M))


def together_db(levels_db: Sequence[Any]) -> Any:
    """10 log10 of the sum of 10^(L/10), of sources that are not in step (I15): numbers, or arrays of one shape."""
    return 10 * np.log10(np.sum([10 ** (np.asarray(level) / 10) for level in levels_db], axis=0))


def air_db_per_m(frequency_hz: float, air_c: float = AIR_C, humidity_percent: float = AIR_PERCENT) -> float:
    """Absorption of air at 101.325 kPa: ISO 9613-1:1993, equations 3 to 5 and B.3; from memory."""
    t, t0, t01 = air_c + 273.15, 293.15, 273.16
    saturated = 10 ** (-6.8346 * (t01 / t) ** 1.261 + 4.6151)
    h = humidity_percent * saturated
    oxygen = 24 + 4.04e4 * h * (0.02 + h) / (0.391 + h)
    nitrogen = (t / t0) ** -0.5 * (9 + 280 * h * math.exp(-4.170 * ((t / t0) ** (-1 / 3) - 1)))
    f2 = frequency_hz**2
    slow = 0.01275 * math.exp(-2239.1 / t) / (oxygen + f2 / oxygen)
    fast = 0.1068 * math.exp(-3352.0 / t) / (nitrogen + f2 / nitrogen)
    return float(8.686 * f2 * (1.84e-11 * (t / t0) ** 0.5 + (t / t0) ** -2.5 * (slow + fast)))


def aside_db(speaker: Speaker, points: Floats) -> Floats:
    """Return what is lost beside the axis at points of shape (n, 3): 6 dB at half the angle, growing with its square
    (common practice, no source). Shape (n,).
    """
    way = points - speaker.eye
    a, t = math.radians(speaker.azimuth_deg), math.radians(speaker.tilt_deg)
    axis = np.array([math.sin(a) * math.cos(t), math.cos(a) * math.cos(t), -math.sin(t)])
    length = np.linalg.norm(way, axis=1)
    if speaker.angle_deg >= 360:
        return np.zeros(len(points))
    cosine = np.divide(way @ axis, length, out=np.ones(len(points)), where=length > 0)
    off_deg = np.degrees(np.arccos(np.clip(cosine, -1.0, 1.0)))
    return np.asarray(np.minimum(6 * (off_deg / (speaker.angle_deg / 2)) ** 2, MOST_ASIDE_DB))


def barrier_db(eye: Floats, points: Floats, walls: Sequence[Wall]) -> Floats:
    """Return what the worst wall in the way takes, over its top, at points of shape (n, 3): 10 log10(3 + 20 N), N = 2 d
    / wavelength (Maekawa 1968, from memory). Shape (n,).
    """
    worst = np.zeros(len(points))
    if not walls:
        return worst
    segments = np.concatenate([wall.segments for wall in walls])
    tops = np.repeat([wall.height_m for wall in walls], [len(wall.segments) for wall in walls])
    way = points - eye
    for segment, top_m in zip(segments, tops, strict=True):
        share, hit = crossed(eye[:2], way[:, :2], segment)
        cut = hit & (share < 1)
        cut &= eye[2] + np.where(cut, share, 0.0) * way[:, 2] < top_m
        if not cut.any():
            continue
        over = eye + share[cut, None] * way[cut]
        over[:, 2] = top_m
        detour = (
            np.linalg.norm(over - eye, axis=1)
            + np.linalg.norm(points[cut] - over, axis=1)
            - np.linalg.norm(way[cut], axis=1)
        )
        loss = 10 * np.log10(3 + 40 * detour * TONE_HZ / SOUND_MPS)
        worst[cut] = np.maximum(worst[cut], np.minimum(loss, MOST_BARRIER_DB))
    return worst


def on_axis_db(speaker: Speaker, range_m: float) -> float:
    """Return how loud one speaker is straight before it, with nothing in the way."""
    return at_distance_db(speaker.at_1_m_db, range_m) - air_db_per_m(TONE_HZ) * range_m


def levels_db(speaker: Speaker, points: Floats, walls: Sequence[Wall] = ()) -> Floats:
    """Return how loud one speaker is at points of shape (n, 3). Shape (n,)."""
    range_m = np.linalg.norm(points - speaker.eye, axis=1)
    level = speaker.at_1_m_db - 20 * np.log10(np.maximum(range_m, NEAREST_M))
    lost = aside_db(speaker, points) + air_db_per_m(TONE_HZ) * range_m + barrier_db(speaker.eye, points, walls)
    return np.asarray(level - lost)


def level_db(speaker: Speaker, point: Sequence[float], walls: Sequence[Wall] = ()) -> float:
    """Return how loud one speaker is at a point, at an ear's height where it has none of its own."""
    return float(levels_db(speaker, np.array([[*point, EAR_M][:3]], dtype=float), walls)[0])


def together_at_db(speakers: Sequence[Speaker], points: Floats, walls: Sequence[Wall] = ()) -> Floats:
    """Return how loud several are together at points of shape (n, 3). Shape (n,)."""
    return np.asarray(together_db([levels_db(each, points, walls) for each in speakers]))


@dataclass(frozen=True)
class Margin:
    """A published rule of how loud is loud enough: over the ambient level, and at least so loud in any case. A-weighted overall."""

    over_db: float
    least_db: float
    source: str

    def needed_db(self, ambient_db: float) -> float:
        return max(self.least_db, ambient_db + self.over_db)


MARGINS = {
    "ISO 7731": Margin(15.0, 65.0, "ISO 7731:2003, from memory"),  # I14
    "BS 5839-1": Margin(5.0, 65.0, "BS 5839-1, from memory"),
    "EN 60849": Margin(6.0, 0.0, "EN 60849, from memory, less sure"),
}
