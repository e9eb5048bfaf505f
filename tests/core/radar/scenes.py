"""Made-up returns for tests: targets that wander, and a decision written down as the words have it, return by return."""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from typing import Any

import numpy as np

from lantern.core.radar.family import RADAR
from lantern.core.radar.regions import RadarDetector
from lantern.core.radar.returns import Return, Returns
from lantern.core.radar.subject import RadarSubject, judge

Row = tuple[float, int | str, float, float, float, float]  # time, target, range, azimuth, speed, size


def returns_of(rows: Sequence[Row]) -> Returns:
    ids = tuple(dict.fromkeys(row[1] for row in rows))
    columns = np.array([[row[0], *row[2:]] for row in rows], dtype=np.float64).reshape(-1, 5).T
    return Returns(
        t_s=columns[0],
        target=np.array([ids.index(row[1]) for row in rows], dtype=np.intp),
        range_m=columns[1],
        azimuth_deg=columns[2],
        speed_mps=columns[3],
        rcs_dbsm=columns[4],
        ids=ids,
    )


def detector(regions: Sequence[dict[str, Any]] = (), **dials: Any) -> RadarDetector:
    return RadarDetector.model_validate({"name": "d", "kind": "radar", "regions": list(regions), "dials": dials})


def subject(rows: Sequence[Row], regions: Sequence[dict[str, Any]] = (), **dials: Any) -> RadarSubject:
    return judge(detector(regions, **dials), RADAR, returns_of(rows))


def sector(name: str, near: float, left: float, far: float, right: float) -> dict[str, Any]:
    return {"name": name, "shape": "sector", "points": [[near, left], [far, right]]}


SQUARE = {"name": "square", "shape": "polygon", "points": [[-6, 2], [6, 2], [6, 14], [-6, 14]]}


def wandering(rng: np.random.Generator, targets: int = 4, moments: int = 120) -> list[Row]:
    """Targets that walk about before a radar at two scans a second, are lost now and then, and seldom agree with themselves."""
    rows: list[Row] = []
    places = rng.uniform(4, 16, targets)
    bearings = rng.uniform(-50, 50, targets)
    towards = rng.choice([-1.0, 1.0], targets)
    for moment in range(moments):
        for target in range(targets):
            if rng.random() < 0.05:
                towards[target] *= -1
            speed = towards[target] * rng.choice([0.2, 0.6, 1.0, 1.4])
            places[target] = abs(places[target] + speed * 0.5)
            bearings[target] += rng.normal(0, 2)
            if rng.random() < 0.9 and not (moment % 40 > 34 and target == 1):
                size = float(rng.choice([-8.0, 0.0, 6.0]))
                rows.append(
                    (moment / 2, target, round(places[target], 1), round(bearings[target], 1), round(speed, 1), size)
                )
    return rows


def one_by_one(returns: Returns) -> list[tuple[float, list[Return]]]:
    """The same as a radar sends it."""
    out: list[tuple[float, list[Return]]] = []
    columns = (returns.range_m, returns.azimuth_deg, returns.speed_mps, returns.rcs_dbsm)
    for row, t in enumerate(returns.t_s.tolist()):
        seen = Return(str(returns.ids[int(returns.target[row])]), *(float(column[row]) for column in columns))
        if not out or out[-1][0] != t:
            out.append((t, []))
        out[-1][1].append(seen)
    return out


def by_the_words(
    rows: Sequence[Row], held: RadarDetector, passing: Collection[Row] | None = None
) -> list[tuple[Any, ...]]:
    """(region, target, raised_s, cleared_s, cleared_by, direction, way) of each event, by a loop that knows nothing of the program;
    `passing`: at which alone it may raise.
    """
    d = RADAR.read_dials(held)
    end = rows[-1][0] if rows else 0.0
    events = []
    for region in held.regions or (None,):
        for target in dict.fromkeys(row[1] for row in rows):
            low = -math.inf if d.min_rcs_dbsm is None else d.min_rcs_dbsm
            high = math.inf if d.max_rcs_dbsm is None else d.max_rcs_dbsm
            own = [row for row in rows if row[1] == target and low <= row[5] <= high]
            run: list[Row] = []
            open_event: list[Any] | None = None
            done, last_raise, fit_s, previous = False, -math.inf, 0.0, None
            for row in own:
                t, _, away, bearing, speed, _ = row
                if previous is not None and t - previous > d.gap_s + 1e-6:
                    if open_event:
                        events.append((*open_event[:3], previous, "lost", *open_event[3:]))
                    run, open_event, done = [], None, False
                previous = t
                fits = {"inbound": speed <= -d.min_speed_mps + 1e-9, "outbound": speed >= d.min_speed_mps - 1e-9}.get(
                    d.profile, True
                )
                within = _within(region, away, bearing)
                if run and not (within and (fits or t - fit_s < d.bridge_s - 1e-6)):
                    if open_event:
                        events.append((*open_event[:3], t, "reading", *open_event[3:]))
                    run, open_event, done = [], None, False
                if not run and not (within and fits):
                    continue
                run.append(row)
                if not fits:
                    continue
                fit_s = t
                way = _way(run, d.profile)
                held_off = passing is not None and row not in passing
                if held_off or done or t - run[0][0] < d.sustain_s - 1e-6 or way is None or way < d.distance_m - 1e-9:
                    continue
                done = True
                if t - last_raise < d.rearm_s - 1e-6:
                    continue
                last_raise = t
                open_event = [
                    None if region is None else region.name,
                    target,
                    t,
                    "in" if away < run[0][2] else "out",
                    way,
                ]
            if open_event:
                ended = (None, "end") if end - previous <= d.gap_s + 1e-6 else (previous, "lost")
                events.append((*open_event[:3], *ended, *open_event[3:]))
    return events


def _place(row: Row) -> tuple[float, float]:
    at = math.radians(row[3])
    return row[2] * math.sin(at), row[2] * math.cos(at)


def _way(run: Sequence[Row], profile: str) -> float | None:
    ranges = [row[2] for row in run]
    if profile == "inbound":
        return max(ranges) - ranges[-1]
    if profile == "outbound":
        return ranges[-1] - min(ranges)
    straight = math.dist(_place(run[0]), _place(run[-1]))
    if profile == "across" and abs(ranges[-1] - ranges[0]) > straight / 2 + 1e-9:
        return None
    return straight


def _within(region: Any, away: float, bearing: float) -> bool:
    if region is None:
        return True
    if region.shape == "sector":
        (near, left), (far, right) = region.points
        turns = [bearing + 360 * n for n in range(-2, 3)]
        return near - 1e-9 <= away <= far + 1e-9 and any(left - 1e-9 <= each <= right + 1e-9 for each in turns)
    (x0, y0), (x1, y1) = region.points[0], region.points[2]  # the tests' polygons are upright squares
    at = math.radians(bearing)
    return x0 <= away * math.sin(at) <= x1 and y0 <= away * math.cos(at) <= y1
