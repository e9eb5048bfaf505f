"""A round tried at the device once, stop by stop: whether it gets there, and how long that really takes."""

from __future__ import annotations

import time
from collections.abc import Generator, Sequence
from typing import Annotated, Any, NamedTuple

from fastapi import APIRouter, Body, Request
from fastapi.responses import Response

from lantern.core.faults import Fault, Refused
from lantern.core.modelled import read_model
from lantern.core.ptz.rounds import Sheet, Step, begun, steps_of, taken_up_s
from lantern.core.ptz.turned import Pointing
from lantern.core.watch import Aim
from lantern.db.base import transaction
from lantern.db.numbers import Id
from lantern.devices.onvif.ptz import Ptz
from lantern.duty.holding import take_hold
from lantern.register.heads import Steered, edged
from lantern.routines import Running
from lantern.steer.heads import known_pointing, speak, steered_with
from lantern.steer.pictures import rest
from lantern.steer.routines import HeadRoutine
from lantern.web.access import may
from lantern.web.answers import json_answer

router = APIRouter()
STAY_S = 1.0  # at each stop: it is tried whether it gets there, and not what it sees
MOST_S = 600.0
PACE_S = 0.1


class Tried(NamedTuple):
    """A step: how long it took to get there and by how much it missed, and how long that should have taken."""

    name: str
    took_s: float
    should_s: float
    off_deg: float


TRYING: HeadRoutine[Tried] = HeadRoutine("round")


def begin_trying(steered: Steered, steps: Sequence[Step]) -> None:
    """Raises `Refused` where one is under way, and for a way that would take too long."""
    pointing = known_pointing(steered)
    should_s = sum(_length_s(each) for each in steps)
    if should_s > MOST_S:
        what = f"once round it takes {should_s:.0f} s, without its stays"
        raise Refused([Fault("round", what, f"one of {MOST_S:g} s at most")])

    def work(held: Running[Tried]) -> Generator[Tried | None]:
        for at, step in enumerate(steps):
            if step.settled:
                yield speak(steered, "routine", lambda head, s=step: _stopped(head, pointing, s, held))  # type: ignore[misc]
                continue
            if at == 0 or steps[at - 1].name != step.name:  # a sweep, or a driven way, is gone to first
                speak(steered, "routine", lambda head, s=step: _gone_to(head, pointing, s))  # type: ignore[misc]
                began, should_s = time.monotonic(), 0.0
            speak(steered, "routine", lambda head, s=step: _sent(head, pointing, s))  # type: ignore[misc]
            _wait(step.stay_s, held)
            should_s += step.stay_s
            if at + 1 < len(steps) and steps[at + 1].name == step.name:
                yield None
                continue
            took_s = time.monotonic() - began
            off = speak(steered, "routine", lambda head, s=step: _off_deg(head, pointing, s))  # type: ignore[misc]
            yield Tried(step.name, round(took_s, 2), round(should_s, 2), round(off, 2))

    TRYING.begin_with(steered, len(steps), work)


def _length_s(step: Step) -> float:
    return step.go_s + STAY_S if step.settled else step.stay_s


def _stopped(head: Ptz, pointing: Pointing, step: Step, held: Running[Tried]) -> Tried:
    before = head.status()
    should_s = taken_up_s(pointing.head, pointing.aim(before.pan, before.tilt, before.zoom), step)
    began = time.monotonic()
    _sent(head, pointing, step)
    rest(head, within_s=MOST_S)
    took_s = time.monotonic() - began
    off = _off_deg(head, pointing, step)
    _wait(STAY_S, held)
    return Tried(step.name, round(took_s, 2), round(should_s, 2), round(off, 2))


def _gone_to(head: Ptz, pointing: Pointing, step: Step) -> None:
    _sent(head, pointing, begun(step))
    rest(head, within_s=MOST_S)


def _off_deg(head: Ptz, pointing: Pointing, step: Step) -> float:
    """Return by how much it misses a step where it looks now."""
    now = head.status()
    return Pointing.apart_deg(pointing.aim(now.pan, now.tilt, now.zoom)[:2], step.aim[:2])


def _sent(head: Ptz, pointing: Pointing, step: Step) -> None:
    pan, tilt, zoom = pointing.own(Aim(*step.aim))
    head.absolute(edged(pan), edged(tilt), zoom, share=step.share)


def _wait(seconds: float, held: Running[Tried]) -> None:
    ends = time.monotonic() + seconds
    while not held.stopped and (left := ends - time.monotonic()) > 0:
        time.sleep(min(left, PACE_S))


@router.post("/devices/{device_id}/duty/try", **may("operator", "tried a round of a head"))
def try_round(
    request: Request, device_id: Id, sheet: Annotated[dict[str, Any], Body()], name: Annotated[str, Body(max_length=80)]
) -> Response:
    """Have it go a round of a sheet, kept or not, once; whoever asks holds it meanwhile."""
    read = read_model(Sheet, sheet, where="duty")
    with transaction() as session:
        steered = steered_with(session, device_id)
        pointing = known_pointing(steered)
        looks = {each.number: pointing.aim(each.pan, each.tilt, each.zoom) for each in pointing.turned.presets}
        steps = steps_of(read, name, looks, pointing.head)
        take_hold(request, session, device_id, for_s=sum(map(_length_s, steps)))
    begin_trying(steered, steps)
    return json_answer(TRYING.told(device_id))


@router.get("/devices/{device_id}/duty/try", **may("viewer"))
def how_it_goes(device_id: Id) -> Response:
    return json_answer(TRYING.told(device_id))


@router.delete("/devices/{device_id}/duty/try", **may("operator"))
def stop_trying(device_id: Id) -> Response:
    TRYING.stop(device_id)
    return json_answer(TRYING.told(device_id))
