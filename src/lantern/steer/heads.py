"""Heads as pages speak to them: connections that are kept, one to ask, one to move, one for what it does by itself."""

from __future__ import annotations

from collections.abc import Callable
from threading import Lock
from typing import Any, Literal, TypeVar

from cachetools import LRUCache
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, LanternError, Refused
from lantern.core.ptz.pointing import Direction, out_of_reach, slew_s
from lantern.core.ptz.turned import Pointing
from lantern.core.watch import Aim
from lantern.devices.onvif.ptz import Position, Ptz
from lantern.register.heads import Steered, edged, spoken_to, steered_of
from lantern.register.tables import DeviceRow

T = TypeVar("T")
Line = Literal["asks", "moves", "routine"]  # so that a stop waits behind neither
HELD = 40
TIMEOUT_S = 4.0


class Spoken:
    """One connection to one device, used by one thread at a time."""

    def __init__(self, steered: Steered) -> None:
        self.reached, self.lock = steered.reached, Lock()
        self.head = spoken_to(steered, TIMEOUT_S)
        self.knows_clock = False


_HELD: LRUCache[tuple[int, Line], Spoken] = LRUCache(HELD)
_GUARD = Lock()


def speak(steered: Steered, line: Line, work: Callable[[Ptz], T]) -> T:
    """Do something with the device. Raises `DeviceError`, `AwayError`, `Refused`."""
    key = (steered.id, line)
    with _GUARD:
        spoken = _HELD.get(key)
        if spoken is None or spoken.reached != steered.reached:
            spoken = _HELD[key] = Spoken(steered)
    with spoken.lock:
        try:
            if not spoken.knows_clock:
                spoken.head.clock()
                spoken.knows_clock = True
            return work(spoken.head)
        except LanternError:
            spoken.knows_clock = False  # its clock may have been set: that refuses every log-in
            raise


def steered_with(session: Session, device_id: int) -> Steered:
    return steered_of(session, session.get_one(DeviceRow, device_id))


def known_pointing(steered: Steered) -> Pointing:
    """Raises `Refused` where its own units are not known in degrees."""
    pointing = steered.pointing
    if pointing is None:
        what = "stands nowhere on the plan, or its lens is not known"
        raise Refused([Fault(f"device {steered.code}", what, "a place on the plan, with its focal lengths")])
    if not pointing.is_known:
        what = "is not registered: its own units are not known in degrees"
        raise Refused([Fault(f"device {steered.code}", what, "three places that it is driven onto, at least")])
    return pointing


def looks(steered: Steered, position: Position) -> Aim | None:
    """Return where it looks on the site; None: it is not registered."""
    pointing = steered.pointing
    if pointing is None or not pointing.is_known:
        return None
    return pointing.aim(position.pan, position.tilt, position.zoom)


def look_there(steered: Steered, aim: Aim) -> dict[str, Any]:
    """Have it look somewhere; returns how long it takes. Raises `Refused` for where it cannot look."""
    pointing = known_pointing(steered)
    to = Direction(aim.pan_deg, aim.tilt_deg)
    if why := out_of_reach(pointing.head, to):
        raise Refused([Fault(f"device {steered.code}", why, "where it can look")])
    pan, tilt, zoom = pointing.own(aim)

    def move(head: Ptz) -> Position:
        before = head.status()
        head.absolute(edged(pan), edged(tilt), zoom)
        return before

    before = speak(steered, "moves", move)
    now = pointing.aim(before.pan, before.tilt, before.zoom)
    takes_s = slew_s(pointing.head, Direction(now.pan_deg, now.tilt_deg), to)
    return {"aim": list(aim), "takes_s": round(takes_s, 2)}
