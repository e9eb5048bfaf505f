"""Bare detections followed from moment to moment: which belongs to whom, who is a target by now, and who is one no more.

One at a time, for takes and live alike. An alpha-beta filter along and across the beam, since there measurements spread differently; the
radial speed that comes with each detection corrects the speed along the beam.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
from scipy.optimize import linear_sum_assignment

from lantern.core.radar.returns import Return
from lantern.core.radar.tracking.clutter import ClutterMap
from lantern.core.radar.tracking.dials import Tracking
from lantern.core.radar.tracking.gates import cfar_factor, gate_of, squared_distance
from lantern.core.rule import TIME_TOLERANCE_S
from lantern.core.smoothing import Gains, kalata

FORBIDDEN = 1e9
COARSE_M = 1.0
LEAST_S = 0.01  # between two moments of a target, for its gains
Fate = str  # of a detection: one of FATES
FATES = ("followed", "weak", "clutter", "unconfirmed")


class Seen(NamedTuple):
    """A detection with its place, m to the right and ahead; `ux`, `uy`: along the beam; `across_m`: its spread across it."""

    at: int  # its place in the scan
    x: float
    y: float
    ux: float
    uy: float
    across_m: float
    speed_mps: float


@dataclass
class Track:
    """Somebody who may be a target: place and velocity when last detected. `name`: once it is one."""

    number: int
    t: float
    x: float
    y: float
    vx: float
    vy: float
    hits: list[float]
    name: str = ""
    began_s: float = 0.0

    def ahead(self, t: float) -> tuple[float, float]:
        since = t - self.t
        return self.x + self.vx * since, self.y + self.vy * since


@dataclass
class Tracker:
    """`ended`: (name, when last seen, x, y, vx, vy) of targets that were given up; `begun`: (name, when, x, y) of those that became one."""

    dials: Tracking
    clutter: ClutterMap | None = None
    noise_cells: int | None = None
    tracks: list[Track] = field(default_factory=list)
    ended: list[tuple[str, float, float, float, float, float]] = field(default_factory=list)
    begun: list[tuple[str, float, float, float]] = field(default_factory=list)
    _numbers: int = 0
    _names: int = 0

    def __post_init__(self) -> None:
        self._gate = gate_of(self.dials.gate_percent)
        self._levels: Mapping[tuple[int, int], float] = {} if self.clutter is None else self.clutter.levels
        exponent = self.dials.false_alarm_exponent
        least = [] if self.dials.min_snr_db is None else [self.dials.min_snr_db]
        if exponent is not None and self.noise_cells:
            least.append(10 * math.log10(cfar_factor(self.noise_cells, 10**-exponent)))
        self._least_db = max(least, default=None)
        self._gains: dict[float, Gains] = {}

    def step(self, t: float, detections: Sequence[Return]) -> tuple[list[Return], list[Fate]]:
        """Take all detections of one moment. Returns those of targets, each under its target's name, and what became of each."""
        fates: list[Fate] = ["unconfirmed"] * len(detections)
        kept: list[Seen] = []
        for at, each in enumerate(detections):
            dropped = self._dropped(each)
            if dropped:
                fates[at] = dropped
            else:
                kept.append(self._seen(at, each))
        self._give_up(t)
        out: list[Return] = []
        for track, seen in self._matched(t, kept):
            if track is None:
                self._begin(t, seen)
                continue
            self._follow(track, t, seen)
            if track.name:
                fates[seen.at] = "followed"
                one = detections[seen.at]
                out.append(Return(track.name, one.range_m, one.azimuth_deg, one.speed_mps, one.rcs_dbsm))
        return out, fates

    def inherit(self, held: Tracker) -> None:
        """Go on with those whom another followed."""
        self.tracks, self._numbers, self._names = held.tracks, held._numbers, held._names

    def forget(self) -> None:
        """Follow nobody any more; names are not given again."""
        self.tracks = []

    def _seen(self, at: int, each: Return) -> Seen:
        aside = math.radians(each.azimuth_deg)
        ux, uy = math.sin(aside), math.cos(aside)
        away = each.range_m
        return Seen(at, away * ux, away * uy, ux, uy, self._across_m(max(away, 1e-6)), each.speed_mps)

    # ---- before anything is followed ----

    def _dropped(self, each: Return) -> Fate:
        if self._least_db is not None and each.snr_db is not None and each.snr_db < self._least_db:
            return "weak"
        if self.dials.clutter_db is not None and self.clutter is not None:
            level = self._levels.get(self.clutter.cell(each.range_m, each.azimuth_deg))
            power = each.rcs_dbsm if each.snr_db is None else each.snr_db
            if level is not None and power < level + self.dials.clutter_db:
                return "clutter"
        return ""

    # ---- which belongs to whom ----

    def _matched(self, t: float, seen: Sequence[Seen]) -> list[tuple[Track | None, Seen]]:
        """Each detection with the track that it belongs to, one to one, as near as possible in all; None: nobody's."""
        near: dict[int, list[tuple[float, int]]] = {}
        for place, track in enumerate(self.tracks):
            x, y = track.ahead(t)
            since = max(t - track.t, LEAST_S)
            reach = self._reach_m(track, since, x, y)
            along = 0.0  # worked out for the first that lies within reach: few tracks have one
            for number, each in enumerate(seen):
                dx, dy = each.x - x, each.y - y
                if -reach <= dx <= reach and -reach <= dy <= reach:
                    along = along or self._spread2(track, since, self.dials.range_sigma_m, across=False)
                    apart = self._apart(track, since, along, each, dx, dy)
                    if apart <= self._gate:
                        near.setdefault(place, []).append((apart, number))
        owner = self._assigned(near, len(seen))
        return [(None if number not in owner else self.tracks[owner[number]], each) for number, each in enumerate(seen)]

    @staticmethod
    def _assigned(near: Mapping[int, list[tuple[float, int]]], count: int) -> dict[int, int]:
        """Return by detection the track that has it."""
        wanted = [number for found in near.values() for _, number in found]
        if len(set(wanted)) == len(wanted) and all(len(found) == 1 for found in near.values()):
            return {found[0][1]: place for place, found in near.items()}
        places = list(near)
        cost = np.full((len(places), count), FORBIDDEN)
        for row, place in enumerate(places):
            for apart, number in near[place]:
                cost[row, number] = apart
        rows, columns = linear_sum_assignment(cost)
        pairs = zip(rows.tolist(), columns.tolist(), strict=True)
        return {column: places[row] for row, column in pairs if cost[row, column] < FORBIDDEN}

    def _reach_m(self, track: Track, since_s: float, x: float, y: float) -> float:
        """Farther from a track no gate reaches: most detections are told so from each other without more ado."""
        spread2 = self._spread2(track, since_s, self._across_m(math.hypot(x, y) + COARSE_M), across=True)
        return max(math.sqrt(self._gate * spread2), COARSE_M)

    def _spread2(self, track: Track, since_s: float, sigma_m: float, *, across: bool) -> float:
        """The variance of a detection about where the track would be, along or across the beam, m²."""
        turned = 0.5 * self.dials.acceleration_mps2 * since_s * since_s
        out = sigma_m * sigma_m / (1 - self._gains_of(since_s, sigma_m).alpha) + turned * turned
        if across:
            young = _unsettled(len(track.hits), since_s)
            out += young * (sigma_m * sigma_m if len(track.hits) > 1 else 1.0)
        return out

    def _apart(self, track: Track, since_s: float, along_m2: float, seen: Seen, dx: float, dy: float) -> float:
        """The squared distance of a detection that missed a track by so much: its spread is another along the beam than across it.
        Infinite for one that lies beyond the gate along the beam alone.
        """
        along = dx * seen.ux + dy * seen.uy
        if along * along > self._gate * along_m2:
            return math.inf
        across_m2 = self._spread2(track, since_s, seen.across_m, across=True)
        return squared_distance((along, dy * seen.ux - dx * seen.uy), ((along_m2, 0.0), (0.0, across_m2)))

    def _across_m(self, away_m: float) -> float:
        return max(away_m * math.radians(self.dials.azimuth_sigma_deg), self.dials.range_sigma_m)

    def _gains_of(self, since_s: float, sigma_m: float) -> Gains:
        index = round(self.dials.acceleration_mps2 * since_s * since_s / sigma_m, 4)
        found = self._gains.get(index)
        if found is None:
            found = self._gains[index] = kalata(max(index, 1e-4))
        return found

    # ---- followed ----

    def _begin(self, t: float, seen: Seen) -> None:
        self._numbers += 1
        vx, vy = seen.speed_mps * seen.ux, seen.speed_mps * seen.uy
        track = Track(self._numbers, t, seen.x, seen.y, vx, vy, [t], began_s=t)
        self.tracks.append(track)
        self._confirm(track)

    def _follow(self, track: Track, t: float, seen: Seen) -> None:
        since = max(t - track.t, LEAST_S)
        x, y = track.ahead(t)
        dx, dy = seen.x - x, seen.y - y
        ux, uy = seen.ux, seen.uy
        along, across = dx * ux + dy * uy, dy * ux - dx * uy
        one, other = self._gains_of(since, self.dials.range_sigma_m), self._gains_of(since, seen.across_m)
        if len(track.hits) < len(OPENING):  # the first few say how it moves: the filter has not settled
            other = OPENING[len(track.hits)]
        track.x, track.y = (
            x + one.alpha * along * ux - other.alpha * across * uy,
            y + one.alpha * along * uy + other.alpha * across * ux,
        )
        v_along, v_across = track.vx * ux + track.vy * uy, track.vy * ux - track.vx * uy
        v_along += one.alpha * (seen.speed_mps - v_along)  # measured, and surer than what places say
        v_across += other.beta * across / since
        track.vx, track.vy = v_along * ux - v_across * uy, v_along * uy + v_across * ux
        track.t = t
        track.hits.append(t)
        self._confirm(track)

    def _confirm(self, track: Track) -> None:
        if track.name:
            return
        since = track.t - self.dials.confirm_within_s - TIME_TOLERANCE_S
        if sum(hit >= since for hit in track.hits) >= self.dials.confirm_hits:
            self._names += 1
            track.name = f"t{self._names}"
            self.begun.append((track.name, track.t, track.x, track.y))

    def _give_up(self, t: float) -> None:
        gone = [each for each in self.tracks if t - each.t > self.dials.give_up_s + TIME_TOLERANCE_S]
        for each in gone:
            self.tracks.remove(each)
            if each.name:
                self.ended.append((each.name, each.t, each.x, each.y, each.vx, each.vy))


def _unsettled(hits: int, since_s: float) -> float:
    """What is added to the spread across the beam while a track is young: of a single detection nobody knows how fast it goes across (m²);
    of a straight line through the first few, how far off it is one step on (in variances of a place).
    """
    if hits == 1:
        return (FASTEST_MPS * since_s) ** 2
    return 2 * (2 * hits + 1) / (hits * (hits - 1)) if hits < len(OPENING) else 0.0


FASTEST_MPS = 8.0  # across the beam, before anything is known of it
# gains across the beam of the first detections: those of a straight line through all of them (alpha-beta by least squares, from memory)
OPENING = tuple(
    Gains(1.0, 1.0) if n < 2 else Gains(2 * (2 * n + 1) / ((n + 1) * (n + 2)), 6 / ((n + 1) * (n + 2)))
    for n in range(8)
)
