"""How long a preset's picture takes to become sharp, from pictures of the device itself: as it focuses by itself, and with the focus that is
kept for the preset.
"""

from __future__ import annotations

import time
from collections.abc import Generator, Sequence
from typing import NamedTuple

import cv2
import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import Response

from lantern.core.faults import Fault, Refused
from lantern.core.ptz.turned import Kept, Turned
from lantern.db.base import transaction
from lantern.db.numbers import Count, Id
from lantern.devices.onvif.imaging import Imaging, Picture
from lantern.devices.onvif.ptz import Ptz
from lantern.duty.holding import take_hold
from lantern.register.heads import Steered, picture_of
from lantern.register.tables import DeviceRow
from lantern.routines import Running
from lantern.steer.heads import speak, steered_with
from lantern.steer.pictures import Picture as Grey
from lantern.steer.pictures import grey, rest
from lantern.steer.registering import changed, kept_preset
from lantern.steer.routines import HeadRoutine
from lantern.web.access import may
from lantern.web.answers import json_answer

router = APIRouter()
HELD_S = 60.0

WATCHED_S = 5.0  # from when it rests
SHARP_SHARE = 0.8  # of how steep its edges are in the end
LEAST_EDGES = 4.0  # of 255: a picture with less shows nothing to focus on
EDGES_SHARE = 0.01  # of its pixels
END_SHARE = 0.3  # of the time that it is watched
WIDE, NEAR = 0.0, 1.0  # ends of the zoom: it comes from the farther one


class Focused(NamedTuple):
    """Of one preset: until its picture is sharp, in s from when the head rests. `own_s`: with its kept focus; None: it has none."""

    number: int
    by_itself_s: float
    own_s: float | None


FOCUSING: HeadRoutine[Focused] = HeadRoutine("focus")


def begin_focusing(steered: Steered, kept: Kept) -> None:
    """Raises `Refused` where one is under way."""

    def work(held: Running[Focused]) -> Generator[Focused | None]:
        before = speak(steered, "routine", lambda head: Imaging(head.held).picture(head.source))
        try:
            by_itself_s = speak(steered, "routine", lambda head: _measured(head, kept, Picture(focus_mode="AUTO")))
            if kept.focus is None:
                yield Focused(kept.number, by_itself_s, None)
                return
            yield None
            own_s = speak(steered, "routine", lambda head: _measured(head, kept, picture_of(kept)))
            yield Focused(kept.number, by_itself_s, own_s)
        finally:
            back = Picture(before.focus_mode, before.focus)
            speak(steered, "routine", lambda head: Imaging(head.held).make(head.source, back))

    FOCUSING.begin_with(steered, 1 if kept.focus is None else 2, work)


def _measured(head: Ptz, kept: Kept, made: Picture) -> float:
    """It comes from the farther end of its zoom, where it focuses by itself, and is made so once it rests."""
    imaging = Imaging(head.held)
    imaging.make(head.source, Picture(focus_mode="AUTO"))
    head.absolute(kept.pan, kept.tilt, WIDE if kept.zoom > (WIDE + NEAR) / 2 else NEAR)
    rest(head)
    head.absolute(kept.pan, kept.tilt, kept.zoom)
    rest(head)
    began = time.monotonic()
    imaging.make(head.source, made)
    seen: list[tuple[float, float]] = []
    while (at := time.monotonic() - began) < WATCHED_S:
        seen.append((at, sharpness(grey(head.snapshot()))))
    return sharp_after_s(seen)


def sharpness(picture: Grey) -> float:
    """Return how steep its steepest edges are: the mean size of its Laplacian, of 255, over the steepest hundredth of its pixels."""
    steep = np.abs(cv2.Laplacian(picture, cv2.CV_32F)).ravel()
    most = max(round(steep.size * EDGES_SHARE), 1)
    return float(np.partition(steep, -most)[-most:].mean())


def sharp_after_s(seen: Sequence[tuple[float, float]]) -> float:
    """Return from when on pictures stay as sharp as they are in the end; (s, sharpness) in order of time. What came before the first picture
    nobody saw: one that is sharp from the first on is so by then. Raises `Refused` for a picture without edges, and one that does not
    stay sharp.
    """
    ends = seen[-1][0] * (1 - END_SHARE)
    final = float(np.median([sharp for at, sharp in seen if at >= ends]))
    if final < LEAST_EDGES:
        what = f"its picture has no edges to focus on: {final:.1f} of 255"
        raise Refused([Fault("focus", what, "a preset that looks at something with edges, by day")])
    blurred = [n for n, (_, sharp) in enumerate(seen) if sharp < SHARP_SHARE * final]
    first = blurred[-1] + 1 if blurred else 0
    if first == len(seen):
        what = "its picture did not stay as sharp as it was"
        raise Refused([Fault("focus", what, "a moment at which nothing moves there")])
    return round(seen[first][0], 2)


@router.post("/devices/{device_id}/steer/kept/{number}/sharp", **may("engineer", "measured a preset's focus"))
def measure(request: Request, device_id: Id, number: Count) -> Response:
    """Go there and see how long it takes to become sharp; whoever asks holds it meanwhile."""
    with transaction() as session:
        steered = steered_with(session, device_id)
        kept = kept_preset(steered, number)
        take_hold(request, session, device_id, for_s=HELD_S)
    begin_focusing(steered, kept)
    return json_answer(FOCUSING.told(device_id))


@router.get("/devices/{device_id}/steer/sharp", **may("viewer"))
def how_it_goes(device_id: Id) -> Response:
    return json_answer(FOCUSING.told(device_id))


@router.put("/devices/{device_id}/steer/sharp", **may("engineer"))
def keep(request: Request, device_id: Id) -> Response:
    """Keep what was measured last, at its preset."""
    [found] = FOCUSING.found(device_id)
    sharp_s = (found.by_itself_s, found.own_s)

    def with_it(turned: Turned) -> Turned:
        presets = [
            each.model_copy(update={"sharp_s": sharp_s}) if each.number == found.number else each
            for each in turned.presets
        ]
        return turned.model_copy(update={"presets": tuple(presets)})

    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        return changed(request, session, row, with_it, f"How long preset {found.number} takes to become sharp.")
