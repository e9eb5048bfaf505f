"""How far a radar sees, through what, and where a path crosses it unseen."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import shapely
from numpy.typing import NDArray
from pydantic import Field
from shapely.geometry.base import BaseGeometry

from lantern.core.modelled import Strict
from lantern.core.optics.coverage import BEYOND
from lantern.core.optics.mount import Floats
from lantern.core.promise.plan import Occluder
from lantern.core.promise.waveform import Waveform

# radar cross-section in m² by class, relative to a person of 1: textbook and 24 GHz practice, from memory
CLASSES = {"person": 1.0, "dog": 0.05, "bicycle": 2.0, "car": 10.0, "boat": 30.0}
CHORD_M = 0.05  # the arc of a sector is drawn by chords that leave it by no more


class Radar(Strict):
    """A radar's mount: its sector, how far it sees a person, the least radial speed that it tells from rest."""

    x_m: float = Field(ge=-1e6, le=1e6)
    y_m: float = Field(ge=-1e6, le=1e6)
    height_m: float = Field(gt=0, le=1000)
    azimuth_deg: float = Field(ge=-360, le=360)
    sector_deg: float = Field(gt=0, le=360)
    range_m: float = Field(gt=0, le=20_000, description="to a person of 1 m²")
    min_speed_mps: float = Field(default=0.3, gt=0, le=50, description="radial; common practice, no source")
    channel: int | None = Field(default=None, ge=1, le=1000, description="on which it sends")
    waveform: Waveform | None = Field(default=None, description="of what it sends, where that is known")

    @property
    def eye(self) -> Floats:
        return np.array([self.x_m, self.y_m])


def range_of(person_m: float, rcs_m2: float) -> float:
    """Range goes with the fourth root of the cross-section (G06)."""
    return float(person_m * rcs_m2**0.25)


def through(range_m: float, loss_db: float) -> float:
    """Return what is left of a range behind a one-way loss: 10^(-A/20) of it (G07)."""
    return 0.0 if math.isinf(loss_db) else range_m * 10 ** (-loss_db / 20)


def sector(radar: Radar, range_m: float) -> BaseGeometry:
    """The sector as a polygon, its arc by chords (G10, G11)."""
    width = math.radians(radar.sector_deg)
    step = 2 * math.acos(max(1 - CHORD_M / range_m, 0.0))
    count = max(math.ceil(width / step), 2)
    angles = math.radians(radar.azimuth_deg) + np.linspace(-width / 2, width / 2, count + 1)
    arc = radar.eye + range_m * np.column_stack([np.sin(angles), np.cos(angles)])
    return shapely.Polygon(arc if radar.sector_deg >= 360 else [radar.eye, *arc])


def reach(radar: Radar, occluders: Sequence[Occluder], rcs_m2: float = 1.0) -> BaseGeometry:
    """Return where a target of this cross-section is seen: the sector, and behind each wall only as far as its loss
    leaves. Walls that end below the radar's own height are looked over.
    """
    far_m = range_of(radar.range_m, rcs_m2)
    whole = sector(radar, far_m)
    taken = []
    for occluder in occluders:
        if occluder.height_m < radar.height_m:
            continue
        left = shapely.Point(radar.eye).buffer(through(far_m, occluder.loss_db), quad_segs=64)
        for segment in occluder.wall.segments:
            away = segment - radar.eye
            if abs(away[0, 0] * away[1, 1] - away[0, 1] * away[1, 0]) < 1e-9:
                continue
            behind = shapely.Polygon(
                [segment[0], segment[1], radar.eye + away[1] * BEYOND, radar.eye + away[0] * BEYOND]
            )
            if shapely.intersects(behind, whole):
                taken.append(shapely.difference(shapely.intersection(behind, whole), left))
    return shapely.difference(whole, shapely.union_all(taken)) if taken else whole


def sees(radar: Radar, occluders: Sequence[Occluder], points: Floats, rcs_m2: Floats) -> NDArray[np.bool_]:
    """(n,): does each of the points (n, 2) lie where `reach` says that a target of its own cross-section (n,) is seen? Without areas, for
    many points of as many sizes.
    """
    away = points - radar.eye
    range_m = np.hypot(away[:, 0], away[:, 1])
    far_m = radar.range_m * rcs_m2**0.25
    aside = np.degrees(np.arctan2(away[:, 0], away[:, 1])) - radar.azimuth_deg
    out: NDArray[np.bool_] = (range_m <= far_m) & (np.abs((aside + 180) % 360 - 180) <= radar.sector_deg / 2)
    most_m = float(range_m[out].max(initial=0.0))
    for occluder in occluders:
        if occluder.height_m < radar.height_m:
            continue
        left = 0.0 if math.isinf(occluder.loss_db) else 10 ** (-occluder.loss_db / 20)
        for one, other in occluder.wall.segments:
            if shapely.distance(shapely.Point(radar.eye), shapely.LineString([one, other])) < most_m:
                out &= ~(_crosses(radar.eye, away, one, other) & (range_m > left * far_m))
    return out


def _crosses(eye: Floats, away: Floats, one: Floats, other: Floats) -> NDArray[np.bool_]:
    """(n,): does the line of sight to each cross a wall?"""
    wall, to = other - one, one - eye
    turned = away[:, 0] * wall[1] - away[:, 1] * wall[0]
    with np.errstate(divide="ignore", invalid="ignore"):
        along = (to[0] * wall[1] - to[1] * wall[0]) / turned  # of the line of sight
        across = (to[0] * away[:, 1] - to[1] * away[:, 0]) / turned  # of the wall
    out: NDArray[np.bool_] = (along > 0) & (along < 1) & (across >= 0) & (across <= 1)
    return out


@dataclass(frozen=True)
class Crossing:
    """A path against a radar: how much of it lies in reach, and the stretches of that on which a walker is not told from rest."""

    length_m: float
    in_reach_m: float
    blind: tuple[tuple[float, float], ...]  # (from, to) in m along the path

    def longest_s(self, speed_mps: float) -> float:
        """The longest time unseen within reach."""
        return max((end - start for start, end in self.blind), default=0.0) / speed_mps


def crossing(radar: Radar, path: Sequence[Sequence[float]], speed_mps: float, area: BaseGeometry) -> Crossing:
    """Return where along a path the radial part of the speed is too small: within p tan(asin(v_min / v)) of the closest
    approach p of each straight piece (G08); all of it where the walker is no faster than v_min.
    """
    points = np.array([point[:2] for point in path], dtype=float)
    blind: list[tuple[float, float]] = []
    at, in_reach = 0.0, 0.0
    for one, other in pairwise(points):
        way = other - one
        length = float(np.linalg.norm(way))
        if length == 0:
            continue
        unit = way / length
        foot = float((radar.eye - one) @ unit)
        p = float(np.linalg.norm(one + unit * foot - radar.eye))
        half = math.inf
        if speed_mps > radar.min_speed_mps:
            half = p * math.tan(math.asin(radar.min_speed_mps / speed_mps))
        for start, end in _within(one, unit, length, area):
            in_reach += end - start
            low, high = max(start, foot - half), min(end, foot + half)
            if high > low:
                blind.append((at + low, at + high))
        at += length
    return Crossing(at, in_reach, tuple(_joined(blind)))


def longest_anywhere_s(radar: Radar, path: Sequence[Sequence[float]], speed_mps: float) -> float:
    """The longest time unseen if all of the path were in reach: no turn of the radar makes it shorter."""
    far = shapely.box(-1e7, -1e7, 1e7, 1e7)
    return crossing(radar, path, speed_mps, far).longest_s(speed_mps)


def _within(one: Floats, unit: Floats, length: float, area: BaseGeometry) -> list[tuple[float, float]]:
    """Return which parts of a straight piece lie in an area, in m from its beginning."""
    inside = shapely.intersection(shapely.LineString([one, one + unit * length]), area)
    out = []
    for part in shapely.get_parts(inside):
        if part.geom_type == "LineString" and not part.is_empty:
            along = (shapely.get_coordinates(part) - one) @ unit
            out.append((float(along.min()), float(along.max())))
    return sorted(out)


def _joined(stretches: list[tuple[float, float]]) -> list[tuple[float, float]]:
    out: list[tuple[float, float]] = []
    for start, end in sorted(stretches):
        if out and start <= out[-1][1] + 1e-6:
            out[-1] = (out[-1][0], max(out[-1][1], end))
        else:
            out.append((start, end))
    return out
