"""A take of bare detections, followed: its targets, what became of every detection, and which targets broke off."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from lantern.core.radar.returns import Return, Returns
from lantern.core.radar.tracking.clutter import ClutterMap
from lantern.core.radar.tracking.dials import Tracking
from lantern.core.radar.tracking.tracker import FATES, Tracker
from lantern.core.tuning.wanted import still_wanted
from lantern.core.watching import Indices

AGAIN_S, AGAIN_M = (
    10.0,
    3.0,
)  # a target that comes back as another: so late, and so far from where it was going; common practice, no source
WANTED_EVERY = 2000  # moments, after which it is asked whether anybody still waits
MENDS = ("give_up_s", "gate_percent", "confirm_hits", "acceleration_mps2")  # what may keep a target whole


class Break(NamedTuple):
    """A target that was given up, and came back under another name."""

    target: str
    lost_s: float
    again: str
    again_s: float


@dataclass(frozen=True)
class Followed:
    """`returns`: of targets alone; `fate` (n,) of every detection, numbers into `FATES`; `row` (m,) of each return in the take."""

    returns: Returns
    fate: Indices
    row: Indices
    breaks: tuple[Break, ...]

    @property
    def counts(self) -> Mapping[str, int]:
        found = Counter(self.fate.tolist())
        return {word: found.get(number, 0) for number, word in enumerate(FATES)}


def followed(returns: Returns, dials: Tracking, clutter: ClutterMap | None = None) -> Followed:
    """Follow a take's detections."""
    key = ("followed", dials, None if clutter is None else clutter.model_dump_json())
    return returns.remember(key, lambda: _followed(returns, dials, clutter))


def _followed(returns: Returns, dials: Tracking, clutter: ClutterMap | None) -> Followed:
    tracker = Tracker(dials, clutter, returns.noise_cells)
    snr = returns.snr_db
    columns = (returns.range_m, returns.azimuth_deg, returns.speed_mps, returns.rcs_dbsm)
    seen = [Return("", *each) for each in zip(*(column.tolist() for column in columns), strict=True)]
    if snr is not None:
        seen = [
            replace(one, snr_db=db) if math.isfinite(db) else one for one, db in zip(seen, snr.tolist(), strict=True)
        ]
    fate = np.zeros(len(returns), dtype=np.intp)
    rows: list[int] = []
    names: list[str] = []
    edges = [*np.flatnonzero(np.append(True, np.diff(returns.t_s) > 0)).tolist(), len(returns)] if len(returns) else [0]
    times = returns.t_s.tolist()
    for number, (start, stop) in enumerate(pairwise(edges)):
        if number % WANTED_EVERY == 0:
            still_wanted()
        scan = seen[start:stop]
        out, fates = tracker.step(times[start], scan)
        fate[start:stop] = [FATES.index(each) for each in fates]
        places = [start + at for at, word in enumerate(fates) if word == "followed"]
        rows += places
        names += [each.target for each in out]
    return Followed(_targets(returns, rows, names), fate, np.array(rows, dtype=np.intp), tuple(_breaks(tracker)))


def _targets(returns: Returns, rows: list[int], names: list[str]) -> Returns:
    ids = list(dict.fromkeys(names))
    place = {name: at for at, name in enumerate(ids)}
    row = np.array(rows, dtype=np.intp)
    return Returns(
        t_s=returns.t_s[row],
        target=np.array([place[name] for name in names], dtype=np.intp),
        range_m=returns.range_m[row],
        azimuth_deg=returns.azimuth_deg[row],
        speed_mps=returns.speed_mps[row],
        rcs_dbsm=returns.rcs_dbsm[row],
        ids=tuple(ids),
        told=returns.told,
        sighted=returns.sighted,
    )


def _breaks(tracker: Tracker) -> list[Break]:
    out = []
    taken: set[str] = set()
    for name, lost_s, x, y, vx, vy in tracker.ended:
        for again, again_s, ax, ay in tracker.begun:
            since = again_s - lost_s
            if again in taken or again == name or not 0 < since <= AGAIN_S:
                continue
            if math.hypot(ax - x - vx * since, ay - y - vy * since) <= AGAIN_M + since:
                taken.add(again)
                out.append(Break(name, lost_s, again, again_s))
                break
    return out


def mend(returns: Returns, dials: Tracking, clutter: ClutterMap | None = None) -> tuple[str, float, int] | None:
    """Return the dial that keeps most targets whole, its value, and how many then still break: of each one step that lets more belong to
    a target. None: nothing breaks, or no dial mends it.
    """
    now = len(followed(returns, dials, clutter).breaks)
    if not now:
        return None
    tried = {
        "give_up_s": min(2 * dials.give_up_s, 60.0),
        "gate_percent": min(100 - (100 - dials.gate_percent) / 5, 99.99),
        "confirm_hits": max(dials.confirm_hits - 1, 1.0),
        "acceleration_mps2": min(2 * dials.acceleration_mps2, 50.0),
    }
    found = []
    for name in MENDS:
        other = dials.model_copy(update={name: round(tried[name], 4)})
        if other != dials:
            found.append(
                (len(_followed(returns, other, clutter).breaks), MENDS.index(name), name, round(tried[name], 4))
            )
    left, _, name, value = min(found)
    return (name, value, left) if left < now else None
