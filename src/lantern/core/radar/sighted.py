"""What a camera saw while a radar looked, on the plan and by the radar's clock."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lantern.core.company import Company, Meanwhile, Stands
from lantern.core.faults import Refused
from lantern.core.optics.feet import places_of
from lantern.core.radar.beside import Beside
from lantern.core.radar.frame import Frame
from lantern.core.rule import TIME_TOLERANCE_S
from lantern.core.signals import Floats
from lantern.core.tracks import Tracks
from lantern.core.watching import Bools, Indices

APART = 10**9  # of the numbers of two takes' objects: both may use one name for two people


@dataclass(frozen=True)
class Sighted:
    """What a camera saw, on the plan: `t_s` (m,) by the radar's clock, not falling; `who` (m,); `x_m`, `y_m` (m,). `known`: from when until
    when it recorded. `missing`: why nothing is known, if nothing is.
    """

    frame: Frame
    t_s: Floats
    who: Indices
    x_m: Floats
    y_m: Floats
    known: tuple[tuple[float, float], ...] = ()
    missing: str = ""

    def at(self, t: float, within_s: float) -> Floats:
        """(k, 2): where everybody was whom it saw in the last `within_s` before `t`, each as seen last."""
        first = int(np.searchsorted(self.t_s, t - within_s - TIME_TOLERANCE_S))
        end = int(np.searchsorted(self.t_s, t + TIME_TOLERANCE_S, side="right"))
        last = {int(self.who[row]): row for row in range(first, end)}
        rows = list(last.values())
        return np.column_stack((self.x_m[rows], self.y_m[rows]))

    def is_known(self, t_s: Floats) -> Bools:
        out = np.zeros(t_s.size, dtype=np.bool_)
        for start, end in self.known:
            out |= (t_s >= start - TIME_TOLERANCE_S) & (t_s <= end + TIME_TOLERANCE_S)
        return out

    def cautions(self, beside: Beside, length_s: float) -> list[str]:
        """Return what a reader must know: for how long nobody knows what the camera saw."""
        if self.missing:
            return [f"{self.missing[0].upper()}{self.missing[1:]}: the radar raises by itself."]
        known = np.zeros(max(round(length_s), 1), dtype=np.bool_)
        for start, end in self.known:
            known[max(round(start), 0) : max(round(end), 0)] = True
        left = int((~known).sum())
        return (
            [f"{beside.device} recorded nothing for {left} s of these: there the radar raises by itself."]
            if left > 1
            else []
        )


def frame_on_plan(stands: Stands) -> Frame | None:
    """Return where the radar stands; None: nowhere on the plan."""
    if stands.mount is None:
        return None
    return Frame(*(float(stands.mount[key]) for key in ("x_m", "y_m", "azimuth_deg")))


def sighted(beside: Beside, company: Company) -> Sighted:
    """Return what the camera saw meanwhile; where that cannot be known, why."""
    frame = frame_on_plan(company.own)
    takes = [each for each in company.others.get(beside.device, ()) if each.signal == "tracks"]
    if frame is None:
        return _nothing("this radar stands nowhere on the plan")
    if not takes:
        return _nothing(f"{beside.device} recorded no objects meanwhile")
    try:
        parts = [_part(number, each) for number, each in enumerate(takes)]
    except Refused as refused:
        return _nothing(f"{beside.device} {refused.faults[0].what}")
    t_s, who, x, y = (np.concatenate([part[column] for part in parts]) for column in range(4))
    order = np.argsort(t_s, kind="stable")
    known = tuple((each.later_s, each.later_s + each.length_s) for each in takes)
    return Sighted(frame, t_s[order], who[order], x[order], y[order], known)


def _part(number: int, take: Meanwhile) -> tuple[Floats, Indices, Floats, Floats]:
    tracks: Tracks = take.value
    places = places_of(tracks, take.stands)
    rows = np.flatnonzero(np.isfinite(places).all(axis=1))
    who = tracks.object[rows].astype(np.int64) + number * APART
    return tracks.t_s[rows] + take.later_s, who, places[rows, 0], places[rows, 1]


def _nothing(why: str) -> Sighted:
    none = np.zeros(0)
    return Sighted(Frame(0, 0, 0), none, none.astype(np.int64), none, none, missing=why)
