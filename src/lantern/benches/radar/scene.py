"""What the bench of radars draws over the sector: the way of every target with what became of it, and who is where at a moment."""

from __future__ import annotations

from typing import Any

import numpy as np

from lantern.benches.bench import Trial
from lantern.core.faults import Fault, Refused
from lantern.core.radar.life import STATES
from lantern.core.radar.regions import RadarDetector
from lantern.core.radar.returns import Returns
from lantern.core.radar.sides import sides_of
from lantern.core.radar.subject import RadarSubject
from lantern.takes.tables import marks_of
from lantern.tune.evidence import Held, strips
from lantern.tune.judging import subject

MOST_A_WAY, MOST_WAYS = 120, 3000  # points of a way that are drawn, and ways
TRAIL_S = 8.0
MOST_A_LIFE = 400  # returns of one target that are drawn over its time
LIFE = ("t_s", "range_m", "speed_mps", "azimuth_deg", "rcs_dbsm")


def judged(trial: Trial[RadarDetector]) -> RadarSubject:
    held = subject(trial.session, trial.detector, trial.take)
    assert isinstance(held, RadarSubject)
    return held


def ways_shown(trial: Trial[RadarDetector]) -> dict[str, Any]:
    """Return the way of each target, which no dial changes: (name, first and last time, places)."""
    returns = judged(trial).returns
    return {"ways": returns.remember("drawn", lambda: _ways(returns))}


def _ways(returns: Returns) -> list[dict[str, Any]]:
    order, (x, y) = returns.by_target, returns.places
    first = np.searchsorted(returns.target[order], np.arange(len(returns.ids) + 1))
    out = []
    for target, name in enumerate(returns.ids[:MOST_WAYS]):
        rows = order[first[target] : first[target + 1]]
        thin = rows[:: max(len(rows) // MOST_A_WAY, 1)]
        places = np.column_stack((x[thin], y[thin])).round(2).tolist()
        times = [round(float(returns.t_s[rows[at]]), 2) for at in (0, -1)]
        out.append({"name": str(name), "times": times, "places": places})
    return out


def fates_shown(trial: Trial[RadarDetector]) -> list[str]:
    """Return by target what became of it at these dials: the cheap part that follows a drag."""
    held = judged(trial)
    marks = [row.as_mark() for row in marks_of(trial.session, trial.take.id)]
    return held.fates(held.own(marks))[:MOST_WAYS]


def moment_shown(trial: Trial[RadarDetector]) -> dict[str, Any]:
    """Return who is seen at the moment that is asked for, each with where it came from lately."""
    held = judged(trial)
    t = _number(trial, "at_s")
    returns = held.returns
    lo, hi = np.searchsorted(returns.t_s, [t - TRAIL_S, t + 1e-6])
    rows = np.arange(lo, hi)
    x, y = returns.places
    out = []
    for target in np.unique(returns.target[rows]).tolist():
        own = rows[returns.target[rows] == target]
        last = int(own[-1])
        if t - returns.t_s[last] > held.dials.gap_s:
            continue
        out.append(
            {
                "target": target,
                "name": str(returns.ids[target]),
                "trail": np.column_stack((x[own], y[own])).round(2).tolist(),
                "range_m": float(returns.range_m[last]),
                "speed_mps": float(returns.speed_mps[last]),
                "azimuth_deg": float(returns.azimuth_deg[last]),
                "rcs_dbsm": float(returns.rcs_dbsm[last]),
            }
        )
    return {"t": t, "seen": out}


def target_shown(trial: Trial[RadarDetector]) -> dict[str, Any]:
    """Return what became of the target that is asked for, in words with its numbers."""
    held, target = judged(trial), int(_number(trial, "target"))
    returns = held.returns
    if not 0 <= target < len(returns.ids):
        raise Refused([Fault("also: target", str(target), f"0 to {len(returns.ids) - 1}")])
    rows = np.flatnonzero(returns.target == target)
    said = held.said_of(target)
    region = held.detector.watched[_number_or(trial, "region", 0)] if held.detector.regions else None
    life = held.life(target, region)
    thin = slice(None, None, max(len(life.row) // MOST_A_LIFE, 1))
    shown = life.row[thin]
    columns = {name: getattr(returns, name)[shown].round(3).tolist() for name in LIFE}
    way = [None if np.isnan(each) else round(float(each), 2) for each in life.way_m[thin]]
    return {
        "life": columns | {"way_m": way, "state": life.state[thin].tolist(), "words": STATES},
        "region": "" if region is None else region.name,
        "name": str(returns.ids[target]),
        "code": said.code,
        "said": said.text,
        "times": [float(returns.t_s[rows[0]]), float(returns.t_s[rows[-1]])],
        "range_m": [float(returns.range_m[rows].max()), float(returns.range_m[rows].min())],
        "speed_mps": [float(returns.speed_mps[rows].min()), float(returns.speed_mps[rows].max())],
        "rcs_dbsm": float(np.median(returns.rcs_dbsm[rows])),
    }


def sides_shown(trial: Trial[RadarDetector]) -> dict[str, Any]:
    """Return the evidence strips of the four sides of the sector that is asked for, over this take or all."""
    place, held = int(_number(trial, "region")), []
    for each in trial.held():
        assert isinstance(each.subject, RadarSubject)
        held.append(Held(sides_of(each.subject, place), each.marks))
    return strips(held, None, trial.wishes, trial.scale)


def _number_or(trial: Trial[RadarDetector], key: str, otherwise: int) -> int:
    """The number of a region, or another where none is asked for, or none of that number is there."""
    asked = int(_number(trial, key)) if key in trial.draft.also else otherwise
    return asked if 0 <= asked < len(trial.detector.watched) else otherwise


def _number(trial: Trial[RadarDetector], key: str) -> float:
    asked = trial.draft.also.get(key)
    if not isinstance(asked, int | float) or isinstance(asked, bool):
        raise Refused([Fault(f"also: {key}", repr(asked)[:40], "a number")])
    return float(asked)
