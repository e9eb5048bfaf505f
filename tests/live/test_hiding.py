"""Masks that hide from a zoom on, switched at the device in time: over a real wire."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from devices.onvif.test_ptz import LOGIN, PASSWORD, served
from lantern.core.ptz.masks import Mask
from lantern.devices.onvif.masks import Masks
from lantern.devices.onvif.ptz import Ptz
from lantern.devices.onvif.wire import Connection
from lantern.live.hiding import AtDevice
from lantern.standins.ptz.device import PtzDevice, make_app

SQUARE = ((-0.4, -0.4), (0.4, -0.4), (0.4, 0.4), (-0.4, 0.4))
POINTS = ((10.0, 5.0), (12.0, 5.0), (11.0, 8.0))


@pytest.fixture
def head() -> Iterator[Ptz]:
    with served(make_app(PtzDevice(LOGIN, PASSWORD, lambda body, channel, masks: b""))) as address:
        yield Ptz(Connection(address, LOGIN, PASSWORD))


def on(head: Ptz) -> list[bool]:
    return [each.enabled for each in Masks(head.held).kept()]


def test_one_hides_before_the_zoom_is_there_and_until_it_rests_below(head: Ptz) -> None:
    always, near = (Masks(head.held).create("vs-turned", SQUARE) for _ in range(2))
    held = AtDevice(
        (
            Mask(name="always", points=POINTS, token=always),
            Mask(name="near", points=POINTS, from_zoom=4.0, token=near),
            Mask(name="not given", points=POINTS, from_zoom=2.0),
        )
    )
    held.switch(head, 1.0, rests=True)
    assert on(head) == [True, False]
    held.switch(head, 5.0, rests=False)
    assert on(head) == [True, True]
    held.switch(head, 3.8, rests=True)  # a little below: it would flicker
    assert on(head) == [True, True]
    held.switch(head, 1.0, rests=False)  # on its way back
    assert on(head) == [True, True]
    held.switch(head, 1.0, rests=True)
    assert on(head) == [True, False]
    held.switch(head, None, rests=True)
    assert on(head) == [True, True]


def test_one_that_hides_always_is_on_whatever_it_was(head: Ptz) -> None:
    token = Masks(head.held).create(
        "vs-turned", SQUARE, enabled=False
    )  # it hid from a zoom on, until somebody changed that
    AtDevice((Mask(name="always", points=POINTS, token=token),)).switch(head, 1.0, rests=True)
    assert on(head) == [True]


def test_after_it_was_lost_the_device_is_asked_again(head: Ptz) -> None:
    token = Masks(head.held).create("vs-turned", SQUARE)
    held = AtDevice((Mask(name="near", points=POINTS, from_zoom=4.0, token=token),))
    held.switch(head, 5.0, rests=True)
    Masks(head.held).switch(Masks(head.held).kept()[0], False)  # somebody else did that
    held.switch(head, 5.0, rests=True)
    assert on(head) == [False]
    held.forget()
    held.switch(head, 5.0, rests=True)
    assert on(head) == [True]
