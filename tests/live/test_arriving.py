"""How a head's picture is made at a preset, over a real wire: set once it has come there, and left to the device elsewhere."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from core.ptz.test_turned import HEAD, PLACES, onto
from devices.onvif.test_ptz import LOGIN, PASSWORD, served
from lantern.core.ptz.turned import Kept, Pointing, Turned
from lantern.core.watch import Aim
from lantern.devices.onvif.ptz import Ptz
from lantern.devices.onvif.wire import Connection
from lantern.live.arriving import Arriving
from lantern.standins.ptz.device import TURNED, PtzDevice, make_app

GATE = Kept(number=1, name="Gate", pan=0.1, tilt=0.2, focus=0.42, exposure_us=4000.0, ir_cut="OFF")
PLAIN = Kept(number=2, name="Tank", pan=0.5, tilt=0.2)


@pytest.fixture
def device() -> Iterator[tuple[PtzDevice, Ptz]]:
    made = PtzDevice(LOGIN, PASSWORD, lambda body, channel, masks: b"")
    with served(make_app(made)) as address:
        yield made, Ptz(Connection(address, LOGIN, PASSWORD))


def test_it_is_set_on_arrival_once_and_taken_back_on_leaving(device: tuple[PtzDevice, Ptz]) -> None:
    made, head = device
    pointing = Pointing(Turned(pairs=tuple(onto(*place) for place in PLACES), presets=(GATE, PLAIN)), HEAD)
    there, plain = (pointing.aim(each.pan, each.tilt, each.zoom) for each in (GATE, PLAIN))
    arriving = Arriving(pointing)
    arriving.looks(head, there, rests=False)  # on its way it is as it finds it
    assert made.body.focus is None
    arriving.looks(head, there, rests=True)
    assert made.body.focus == 0.42
    assert (made.made[TURNED]["exposure"], float(made.made[TURNED]["time"])) == ("MANUAL", 4000.0)
    assert made.made[TURNED]["filter"] == "OFF"
    made.body.focus = 0.5  # somebody changed it by hand
    arriving.looks(head, there, rests=True)
    assert made.body.focus == 0.5
    arriving.looks(head, Aim(there.pan_deg + 2, there.tilt_deg, there.zoom), rests=False)
    assert made.body.focus is None
    assert (made.made[TURNED]["exposure"], made.made[TURNED]["filter"]) == ("AUTO", "AUTO")
    arriving.looks(head, plain, rests=True)
    assert made.body.focus is None
    arriving.looks(head, there, rests=True)
    assert made.body.focus == 0.42


def test_a_head_that_is_not_registered_is_let_be(device: tuple[PtzDevice, Ptz]) -> None:
    made, head = device
    for pointing in (None, Pointing(Turned(presets=(GATE,)), HEAD)):
        Arriving(pointing).looks(head, Aim(0.0, 0.0, 1.0), rests=True)
    assert made.body.focus is None
