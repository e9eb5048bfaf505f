"""Masks at a device, over a real wire: kept, switched, taken away; what it shows of them, wherever it looks."""

from __future__ import annotations

import io
from collections.abc import Iterator

import numpy as np
import pytest
from PIL import Image

from devices.onvif.test_ptz import LOGIN, PASSWORD, served
from lantern.devices.onvif.masks import DeviceMask, Masks
from lantern.devices.onvif.ptz import Ptz
from lantern.devices.onvif.wire import Connection, DeviceError
from lantern.standins.ptz.device import OVERVIEW, PtzDevice, make_app
from lantern.standins.ptz.yard import MASKED, painter

SQUARE = ((-0.4, -0.4), (0.4, -0.4), (0.4, 0.4), (-0.4, 0.4))


@pytest.fixture
def hiding() -> Iterator[tuple[PtzDevice, Connection]]:
    device = PtzDevice(LOGIN, PASSWORD, painter(lambda: 0.0))
    device.body.advance(device.body.now_s + 30.0)  # at home by now, and at rest meanwhile
    with served(make_app(device)) as address:
        yield device, Connection(address, LOGIN, PASSWORD)


def masked(data: bytes) -> np.ndarray:
    """(height, width): which pixels are hidden."""
    with Image.open(io.BytesIO(data)) as picture:
        out: np.ndarray = (np.asarray(picture.convert("RGB")) == MASKED).all(axis=2)
        return out


def test_one_is_kept_switched_and_taken_away(hiding: tuple[PtzDevice, Connection]) -> None:
    _, held = hiding
    masks, ptz = Masks(held), Ptz(held)
    assert masks.kept() == []
    configuration = next(each.configuration for each in ptz.profiles() if each.turns)
    token = masks.create(configuration, SQUARE)
    [kept] = masks.kept()
    assert kept == DeviceMask(token, configuration, SQUARE, enabled=True)
    hidden = masked(ptz.snapshot())
    assert hidden[360, 640] and not hidden[20, 20]
    assert hidden.mean() == pytest.approx(0.4 * 0.4, abs=0.01)  # four tenths of each side, by hand
    assert not masked(ptz.snapshot(OVERVIEW)).any()  # its other body
    masks.switch(kept, False)
    assert not masked(ptz.snapshot()).any()
    assert [each.enabled for each in masks.kept()] == [False]
    masks.switch(kept, True)
    masks.forget(token)
    assert masks.kept() == []


def test_it_goes_along_with_what_it_hides(hiding: tuple[PtzDevice, Connection]) -> None:
    device, held = hiding
    masks, ptz = Masks(held), Ptz(held)
    masks.create("vs-turned", SQUARE)
    device.body.pan.at += 10.0
    hidden = masked(ptz.snapshot())
    columns = np.flatnonzero(hidden.any(axis=0))
    assert columns.mean() < 500  # it turned to the right: what is hidden lies to the left
    device.body.pan.at += 90.0
    assert not masked(ptz.snapshot()).any()
    device.body.pan.at -= 100.0
    device.body.zoom.at = 0.4
    assert masked(ptz.snapshot()).all()  # nearer than it is wide


def test_what_it_refuses_is_said(hiding: tuple[PtzDevice, Connection]) -> None:
    _, held = hiding
    masks = Masks(held)
    with pytest.raises(DeviceError, match="refuses DeleteMask of media2: There is no mask 'x'"):
        masks.forget("x")
    with pytest.raises(DeviceError, match="3 to 12 corners"):
        masks.create("vs-turned", SQUARE[:2])
    with pytest.raises(DeviceError, match="within -1 and 1"):
        masks.create("vs-turned", (*SQUARE[:2], (1.5, 0.0)))
    for _ in range(8):
        masks.create("vs-turned", SQUARE)
    with pytest.raises(DeviceError, match="8 masks at most"):
        masks.create("vs-turned", SQUARE)
    with pytest.raises(DeviceError, match="does not take this log-in"):
        Masks(Connection(held.address, LOGIN, "wrong")).kept()
