"""The radar beside a camera that recorded meanwhile: what both saw, and what only one of them did."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
from pydantic import Field
from sqlalchemy.orm import Session

from lantern.benches.bench import Trial
from lantern.benches.radar.placed import mount_then
from lantern.benches.radar.scene import judged
from lantern.core.company import Stands
from lantern.core.faults import Fault, Refused
from lantern.core.modelled import Strict, read_model
from lantern.core.optics.feet import places_of
from lantern.core.radar.alongside import Sighting, alongside
from lantern.core.radar.frame import Frame
from lantern.core.radar.moving import frame_of
from lantern.core.radar.regions import RadarDetector
from lantern.core.radar.returns import Returns
from lantern.core.tracks import Tracks
from lantern.register.history import mount_when
from lantern.register.tables import pixels_of
from lantern.takes.store import value_of_take
from lantern.takes.tables import TakeRow, common_s, takes_meanwhile

LEAST_S = 2.0


class Asked(Strict):
    """Beside which take, within how many metres and seconds two are one."""

    camera_take: int
    gate_m: float = Field(default=3.0, gt=0, le=100)
    within_s: float = Field(default=1.0, ge=0, le=60)


def cameras_shown(trial: Trial[RadarDetector]) -> list[dict[str, Any]]:
    """Return the takes of objects that other devices of the site recorded meanwhile."""
    out = []
    for other in takes_meanwhile(trial.session, trial.take, "tracks"):
        both_s = common_s(trial.take, other)
        if both_s >= LEAST_S:
            mounted = mount_when(trial.session, other.device, other.created) is not None
            name = f"{other.device.code} {other.name}"
            out.append(
                {"id": other.id, "code": other.device.code, "name": name, "common_s": both_s, "mounted": mounted}
            )
    return out


def alongside_shown(trial: Trial[RadarDetector]) -> dict[str, Any]:
    """Return what both saw and what only one did, over the time that both takes have."""
    asked = read_model(Asked, trial.draft.also, where="also")
    other = trial.session.get(TakeRow, asked.camera_take)
    then = mount_then(trial.session, trial.take.device, trial.take)
    if then is None or other is None or other.device.site_id != trial.row.site_id or other.signal != "tracks":
        raise Refused(
            [
                Fault(
                    "camera_take",
                    "is none of objects on this plan",
                    "a take of a camera, and a radar that is placed on the plan",
                )
            ]
        )
    later_s = (other.start - trial.take.start).total_seconds()
    seen = list(_by_camera(trial.session, other, later_s))
    start, stop = max(0.0, later_s), min(trial.take.length_s, later_s + other.length_s)
    own = list(_by_radar(judged(trial).returns, frame_of(then), start, stop))
    found = alongside(own, seen, gate_m=asked.gate_m, within_s=asked.within_s)
    return {
        "both": [list(each) for each in found.both],
        "radar": list(found.radar_alone),
        "camera": list(found.camera_alone),
        "common_s": stop - start,
    }


def _by_radar(returns: Returns, frame: Frame, start: float, stop: float) -> Iterator[Sighting]:
    order = returns.by_target
    x, y = frame.onto_plan(*returns.places)
    first = np.searchsorted(returns.target[order], np.arange(len(returns.ids) + 1))
    for target, name in enumerate(returns.ids):
        rows = order[first[target] : first[target + 1]]
        rows = rows[(returns.t_s[rows] >= start) & (returns.t_s[rows] <= stop)]
        if rows.size > 1 and returns.t_s[rows[-1]] - returns.t_s[rows[0]] >= LEAST_S:
            yield Sighting(str(name), returns.t_s[rows], x[rows], y[rows])


def _by_camera(session: Session, take: TakeRow, later_s: float) -> Iterator[Sighting]:
    """Objects on the plan: where they are, if the device says so; else the foot of each box, by the mount. What lies beyond the horizon
    is nowhere.
    """
    tracks = value_of_take(session, take)
    assert isinstance(tracks, Tracks)
    stands = Stands(mount_when(session, take.device, take.created), pixels_of(take.device))
    try:
        places = places_of(tracks, stands)
    except Refused as refused:
        what = f"{take.device.code} {refused.faults[0].what}"
        raise Refused([Fault("camera_take", what, refused.faults[0].expected)]) from refused
    for number, name in enumerate(tracks.ids):
        rows = np.flatnonzero((tracks.object == number) & np.isfinite(places).all(axis=1))
        if rows.size > 1 and tracks.t_s[rows[-1]] - tracks.t_s[rows[0]] >= LEAST_S:
            yield Sighting(str(name), tracks.t_s[rows] + later_s, places[rows, 0], places[rows, 1])
