"""A head's zoom measured from its own pictures: at each value it pans a little, and how far its edges move tells its field."""

from __future__ import annotations

import time
from collections.abc import Generator

import numpy as np

from lantern.core.faults import Fault, Refused
from lantern.core.ptz.zoom import Measured
from lantern.devices.onvif.ptz import Ptz
from lantern.register.heads import Steered
from lantern.routines import Running
from lantern.steer.heads import known_pointing, speak
from lantern.steer.pictures import field_between, grey, rest
from lantern.steer.routines import HeadRoutine

VALUES = tuple(round(each, 3) for each in np.linspace(0.0, 1.0, 9).tolist())
SHIFT_SHARE = 0.15  # of the field, by which it is panned
FOCUS_S = 2.0  # until the focus has settled
WIDEST_GUESS_DEG, TRIES = 60.0, 5  # of a field nobody knows yet; each try turns half as far
MEASURING: HeadRoutine[Measured] = HeadRoutine("zoom")


def begin_measuring(steered: Steered) -> None:
    """Raises `Refused` where one is under way, or its own units are not known."""
    known_pointing(steered)

    def work(held: Running[Measured]) -> Generator[Measured | None]:
        for value in VALUES:
            guess = held.found[-1].field_deg if held.found else None
            yield speak(steered, "routine", lambda head, v=value, g=guess: _one(head, steered, v, g))  # type: ignore[misc]

    MEASURING.begin_with(steered, len(VALUES), work)


def _one(head: Ptz, steered: Steered, value: float, before_deg: float | None) -> Measured:
    """The field at one value. What is not known yet is guessed from the value before: the first step must not leave the picture."""
    units = known_pointing(steered).units
    start = head.status()
    head.absolute(start.pan, start.tilt, value)
    rest(head)
    time.sleep(FOCUS_S)
    one, first = grey(head.snapshot()), units.degrees(start.pan, start.tilt)
    guess = before_deg or WIDEST_GUESS_DEG
    try:
        for _ in range(TRIES):
            own = SHIFT_SHARE * guess / units.pan_scale_deg
            head.absolute(start.pan + own if abs(start.pan + own) <= 1 else start.pan - own, start.tilt, value)
            rest(head)
            now = head.status()
            found = field_between(one, grey(head.snapshot()), first, units.degrees(now.pan, now.tilt))
            if found is not None:
                return Measured(value, found)
            guess /= 2
    finally:
        head.absolute(start.pan, start.tilt, value)
        rest(head)
    what = f"at {value:g} two pictures have too little in common to tell its field"
    raise Refused([Fault("zoom", what, "a view of something with edges, by day")])
