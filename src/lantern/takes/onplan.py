"""A camera's take laid on the plan for another device: who was where, by the foot of each box and the mount that the camera had then."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.company import Stands
from lantern.core.devices import DEVICE_KINDS
from lantern.core.faults import Fault, Refused
from lantern.core.optics.feet import near_enough, places_of
from lantern.core.tracks import Tracks
from lantern.formats.sidecar import TakeInfo
from lantern.register.history import mount_when
from lantern.register.tables import DeviceRow, pixels_of
from lantern.signals.takes import Take
from lantern.takes.store import add_take, value_of_take
from lantern.takes.tables import TakeRow

SIGNAL = "plan-tracks"
WORST_M = 1.5  # of ground for a pixel; farther away a foot tells no place. Common practice, no source
DECIMALS = 2


def lay_on_plan(session: Session, take: TakeRow, device: DeviceRow) -> TakeRow:
    """Return the new take. Raises `Refused` for a take of no objects, a camera that stands nowhere, a device that takes no such take, and
    one that has this one already.
    """
    if SIGNAL not in DEVICE_KINDS[device.kind].signals:
        raise Refused([Fault("device", f"{device.code} looks at nothing that moves over a plan", "a PTZ, say")])
    tracks = value_of_take(session, take) if take.signal == "tracks" else None
    if not isinstance(tracks, Tracks):
        raise Refused([Fault("take", f"{take.name} holds no objects of a picture", "a take of tracks")])
    name = f"{take.name}, from {take.device.code}"
    stands = Stands(mount_when(session, take.device, take.created), pixels_of(take.device))
    held = select(TakeRow.id).where(TakeRow.device_id == device.id, TakeRow.name == name)
    if session.scalar(held) is not None:
        raise Refused([Fault("take", f"{device.code} has {name!r} already", "delete that one first")])
    try:
        places = places_of(tracks, stands)
    except Refused as refused:
        raise Refused(
            [Fault("take", f"{take.device.code} {refused.faults[0].what}", refused.faults[0].expected)]
        ) from refused
    kept = np.flatnonzero(np.isfinite(places).all(axis=1) & near_enough(tracks, stands, WORST_M))
    if not kept.size:
        raise Refused(
            [Fault("take", "nobody is near enough to say where they are", "a camera nearer to the ground it sees")]
        )
    info = TakeInfo(format="lantern-take/1", name=name, kind=SIGNAL, device=device.code, start=take.start)
    return add_take(session, Take(info, value=_laid(tracks, kept, places)), device_id=device.id)


def _laid(tracks: Tracks, kept: np.ndarray, places: np.ndarray) -> Tracks:
    """Those samples as points of the plan; of somebody of whom none is kept, not even the name."""
    who, numbers = np.unique(tracks.object[kept], return_inverse=True)
    box = np.zeros((kept.size, 4))
    box[:, :2] = places[kept].round(DECIMALS)
    return replace(
        tracks,
        t_s=tracks.t_s[kept],
        object=numbers.astype(np.intp),
        box=box,
        confidence=tracks.confidence[kept],
        label=tracks.label[kept],
        ids=tuple(tracks.ids[each] for each in who.tolist()),
        last_s=tracks.length_s,
        on_plan=True,
        frame_px=None,
        height_m=None,
    )
