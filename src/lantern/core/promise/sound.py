"""How loud a speaker is where somebody should hear it: distance, direction, air, what stands in the way, several together."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import shapely
from pydantic import Field

from lantern.core.linking.links import Strict
from lantern.core.optics.coverage import Wall
from lantern.core.optics.mount import Floats

TONE_HZ, AIR_C, AIR_PERCENT = 1000.0, 10.0, 70.0
SOUND_MPS = 340.0
EAR_M = 1.6
MOST_ASIDE_DB = 24.0  # behind a horn; common practice, no source
MOST_BARRIER_DB = 24.0  # Maekawa's chart ends there; from memory
OVER_AMBIENT_DB, LEAST_DB = 15.0, 65.0  # ISO 7731:2003, A-weighted overall, from memory
NEAREST_M = 1.0


class Speaker(Strict):
    """Where a speaker stands and what it gives: `sensitivity_db` at 1 W and 1 m; `angle_deg` the full angle within -6 dB."""

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


def together_db(levels_db: Sequence[float]) -> float:
    """10 log10 of the sum of 10^(L/10), of sources that are not in step (I15)."""
    return 10 * math.log10(sum(10 ** (level / 10) for level in levels_db))


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


def aside_db(speaker: Speaker, point: Floats) -> float:
    """What is lost beside the axis: 6 dB at half the angle, growing with its square (common practice, no source)."""
    way = point - speaker.eye
    a, t = math.radians(speaker.azimuth_deg), math.radians(speaker.tilt_deg)
    axis = np.array([math.sin(a) * math.cos(t), math.cos(a) * math.cos(t), -math.sin(t)])
    length = float(np.linalg.norm(way))
    if speaker.angle_deg >= 360 or length == 0:
        return 0.0
    off_deg = math.degrees(math.acos(min(max(float(way @ axis) / length, -1.0), 1.0)))
    return min(6 * (off_deg / (speaker.angle_deg / 2)) ** 2, MOST_ASIDE_DB)


def barrier_db(eye: Floats, point: Floats, walls: Sequence[Wall]) -> float:
    """What the worst wall in the way takes, over its top: 10 log10(3 + 20 N), N = 2 d / wavelength (Maekawa 1968, from memory)."""
    line = shapely.LineString([eye[:2], point[:2]])
    worst = 0.0
    for wall in walls:
        for segment in wall.segments:
            cut = line.intersection(shapely.LineString(segment))
            if cut.is_empty or cut.geom_type != "Point":
                continue
            top = np.array([*cut.coords[0][:2], wall.height_m])
            share = float(np.linalg.norm(top[:2] - eye[:2])) / max(line.length, 1e-9)
            sight_m = eye[2] + share * (point[2] - eye[2])
            if sight_m >= wall.height_m:
                continue
            detour = float(np.linalg.norm(top - eye) + np.linalg.norm(point - top) - np.linalg.norm(point - eye))
            n = 2 * detour * TONE_HZ / SOUND_MPS
            worst = max(worst, min(10 * math.log10(3 + 20 * n), MOST_BARRIER_DB))
    return worst


def level_db(speaker: Speaker, point: Sequence[float], walls: Sequence[Wall] = ()) -> float:
    """How loud one speaker is at a point."""
    to = np.array([*point, EAR_M][:3])
    range_m = float(np.linalg.norm(to - speaker.eye))
    level = at_distance_db(speaker.at_1_m_db, range_m)
    return level - aside_db(speaker, to) - air_db_per_m(TONE_HZ) * range_m - barrier_db(speaker.eye, to, walls)


def needed_db(ambient_db: float) -> float:
    """More than 15 dB over the ambient level, and 65 dB(A) at least: ISO 7731:2003, from memory (I14)."""
    return max(LEAST_DB, ambient_db + OVER_AMBIENT_DB)
