"""The client of PTZs against a device that speaks the same, over a real wire: asked, moved, refused, lied to, cut off."""

from __future__ import annotations

import io
import re
import socket
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

import numpy as np
import pytest
import uvicorn
from PIL import Image
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Route

from lantern.devices.onvif.ptz import Ptz
from lantern.devices.onvif.wire import AwayError, Connection, DeviceError
from lantern.standins.ptz.device import OVERVIEW, PtzDevice, make_app
from lantern.standins.ptz.yard import painter

LOGIN, PASSWORD = "operator", "a quay at night"


@contextmanager
def served(app: Starlette) -> Iterator[str]:
    listening = socket.socket()
    listening.bind(("127.0.0.1", 0))
    server = uvicorn.Server(uvicorn.Config(app, log_level="critical", lifespan="off"))
    thread = threading.Thread(target=server.run, kwargs={"sockets": [listening]}, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.01)
    try:
        yield f"http://127.0.0.1:{listening.getsockname()[1]}"
    finally:
        server.should_exit = True
        thread.join(10)


@pytest.fixture(scope="module")
def stand_in() -> Iterator[tuple[PtzDevice, str]]:
    device = PtzDevice(LOGIN, PASSWORD, painter(lambda: 0.0))
    with served(make_app(device)) as address:
        yield device, address


@pytest.fixture
def ptz(stand_in: tuple[PtzDevice, str]) -> Iterator[Ptz]:
    device, address = stand_in
    device.told.clear()
    yield Ptz(Connection(address, LOGIN, PASSWORD))
    for name in list(device.faults):
        device.play(name, False)
    device.body.halt()


def rested(ptz: Ptz, within_s: float = 6.0) -> tuple[float, float, float]:
    end = time.monotonic() + within_s
    while (found := ptz.status()).moving:
        assert time.monotonic() < end
        time.sleep(0.05)
    return found.pan, found.tilt, found.zoom


def test_it_is_asked_what_it_can_and_moves_nothing(stand_in: tuple[PtzDevice, str], ptz: Ptz) -> None:
    before = rested(ptz)
    found = ptz.abilities()
    assert [(each.token, each.turns) for each in found.profiles] == [("turned", True), ("overview", False)]
    assert (found.profiles[0].width, found.profiles[0].height) == (1280, 720)
    assert not found.spaces[0].in_degrees
    assert (found.spaces[0].pan, found.zoom) == ((-1.0, 1.0), (0.0, 1.0))
    assert found.cautions == []
    assert abs(found.ahead_s) < 2
    assert stand_in[0].told == []
    assert ptz.status()[:3] == before


def test_up_is_positive_and_half_a_turn_is_the_end_of_the_space(stand_in: tuple[PtzDevice, str], ptz: Ptz) -> None:
    body = stand_in[0].body
    ptz.absolute(0.5, 0.0, 0.25)
    assert rested(ptz) == pytest.approx((0.5, 0.0, 0.25), abs=2e-3)
    assert (body.pan.at % 360, body.tilt.at) == pytest.approx((90.0, 35.0), abs=0.2)
    ptz.relative(0.1, 0.2)
    assert rested(ptz) == pytest.approx((0.6, 0.2, 0.25), abs=2e-3)
    assert body.tilt.at == pytest.approx(24.0, abs=0.2)  # up, and tilt is told downwards
    with pytest.raises(DeviceError, match="Beyond its space"):
        ptz.absolute(1.4, 0.0)


def test_it_goes_as_fast_as_it_is_told_and_at_its_greatest_speed_where_nothing_is_said(
    stand_in: tuple[PtzDevice, str], ptz: Ptz
) -> None:
    """60 degrees at a quarter of 120 degrees a second: two seconds and a little; at all of it one at most."""
    ptz.absolute(0.0, 0.0, 0.0)
    rested(ptz)
    took = []
    for to, share in ((60 / 180, 0.25), (0.0, 1.0)):
        began = time.monotonic()
        ptz.absolute(to, 0.0, 0.0, share=share)
        rested(ptz)
        took.append(time.monotonic() - began)
    assert took[0] > 60 / 30
    assert took[1] < took[0]
    with pytest.raises(DeviceError, match="a speed from 0 to 1"):
        ptz.absolute(0.1, 0.0, share=-1.0)


def test_presets_and_home_are_kept_and_gone_to(ptz: Ptz) -> None:
    ptz.absolute(0.2, 0.1, 0.0)
    there = rested(ptz)
    token = ptz.keep("the gate")
    assert ("the gate", token) in [(each.name, each.token) for each in ptz.presets()]
    ptz.home()
    assert rested(ptz) != pytest.approx(there, abs=1e-2)
    ptz.go_to(token)
    assert rested(ptz) == pytest.approx(there, abs=2e-3)
    ptz.forget(token)
    with pytest.raises(DeviceError, match="refuses GotoPreset of ptz: There is no preset"):
        ptz.go_to(token)


def test_a_held_key_whose_connection_is_lost_stops_within_a_second(stand_in: tuple[PtzDevice, str], ptz: Ptz) -> None:
    body = stand_in[0].body
    rested(ptz)
    ptz.drive(1.0, 0.0)
    began = time.monotonic()
    while time.monotonic() - began < 0.5:  # nobody renews it from here on
        time.sleep(0.05)
    assert ptz.status().moving
    while time.monotonic() - began < 1.0 + 120 / 240 + 0.25 + 0.4:  # its timeout, braking, settling
        time.sleep(0.05)
    assert not ptz.status().moving
    assert 60 < body.pan.at % 360 < 360
    with pytest.raises(DeviceError, match="1 s at most"):
        ptz.drive(1.0, 0.0, for_s=5.0)


def test_a_stop_gets_through_to_one_that_is_busy(stand_in: tuple[PtzDevice, str], ptz: Ptz) -> None:
    ptz.drive(-1.0, 0.5)
    stand_in[0].play("busy", True)
    with pytest.raises(DeviceError, match="busy with something else"):
        ptz.absolute(0.0, 0.0)
    ptz.stop()
    rested(ptz, 2.0)
    assert stand_in[0].told[-1] == "stop"


def test_a_clock_that_is_apart_is_told_and_its_log_in_works_all_the_same(
    stand_in: tuple[PtzDevice, str], ptz: Ptz
) -> None:
    stand_in[0].play("wrong clock", True)
    with pytest.raises(DeviceError, match="does not take this log-in"):
        ptz.status()  # stamped by our clock: three hours old
    found = ptz.abilities()
    assert found.ahead_s == pytest.approx(3 * 3600, abs=2)
    assert re.match(r"Its clock is 1(079|080)\d s ahead of ours", found.cautions[0])
    ptz.status()


def test_what_goes_wrong_is_said_with_what_to_do(stand_in: tuple[PtzDevice, str], ptz: Ptz) -> None:
    device, address = stand_in
    with pytest.raises(DeviceError, match="user name, password"):
        Ptz(Connection(address, LOGIN, "another")).status()
    device.play("long timeout", True)
    assert "It moves on for 5 s at least once a connection is lost" in ptz.abilities().cautions[0]
    device.play("no power", True)
    with pytest.raises(DeviceError, match="HTTP 503"):
        ptz.status()
    nobody = socket.socket()
    nobody.bind(("127.0.0.1", 0))
    with pytest.raises(AwayError, match="Nobody answers at"):
        Ptz(Connection(f"127.0.0.1:{nobody.getsockname()[1]}", LOGIN, PASSWORD)).clock()
    nobody.listen()
    with pytest.raises(AwayError, match=r"did not answer .* within 0\.3 s"):
        Ptz(Connection(f"127.0.0.1:{nobody.getsockname()[1]}", LOGIN, PASSWORD, timeout_s=0.3)).clock()
    nobody.close()


def test_both_streams_are_seen_and_the_one_that_turns_turns(ptz: Ptz) -> None:
    def seen(profile: str | None = None) -> np.ndarray:
        return np.asarray(Image.open(io.BytesIO(ptz.snapshot(profile))).convert("L"), dtype=float)

    ptz.absolute(0.0, 0.4, 0.0)
    rested(ptz)
    time.sleep(1.8)  # its focus hunts after a zoom
    turned, over = seen(), seen(OVERVIEW)
    ptz.absolute(0.4, 0.4, 0.0)
    rested(ptz)
    assert np.abs(seen() - turned).mean() > 1
    assert np.abs(seen(OVERVIEW) - over).mean() == pytest.approx(0.0)


def lying(services: str, dtd: str = "") -> Starlette:
    """A device that says whatever it likes."""

    async def answer(request: Request) -> Response:
        text = (
            f'<?xml version="1.0"?>{dtd}<s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope" '
            f'xmlns:tds="http://www.onvif.org/ver10/device/wsdl"><s:Body>{services}</s:Body></s:Envelope>'
        )
        return Response(text, media_type="application/soap+xml")

    return Starlette(routes=[Route("/{rest:path}", answer, methods=["POST", "GET"])])


def test_an_address_on_another_host_is_not_asked_and_an_entity_is_not_read() -> None:
    elsewhere = (
        "<tds:GetServicesResponse><tds:Service><tds:Namespace>http://www.onvif.org/ver20/ptz/wsdl</tds:Namespace>"
        "<tds:XAddr>http://192.0.2.7/onvif/ptz</tds:XAddr></tds:Service></tds:GetServicesResponse>"
    )
    with served(lying(elsewhere)) as address, pytest.raises(DeviceError, match="not on its own host"):
        Connection(address, LOGIN, PASSWORD).call("ptz", "GetNodes")
    bomb = '<!DOCTYPE s [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;">]>'
    entity = lying("<tds:GetServicesResponse>&b;</tds:GetServicesResponse>", bomb)
    with served(entity) as address, pytest.raises(DeviceError, match="no answer"):
        Connection(address, LOGIN, PASSWORD).call("device", "GetServices", IncludeCapability=False)
    with served(lying("x" * (9 * 2**20))) as address, pytest.raises(DeviceError, match="more than 8 MiB"):
        Connection(address, LOGIN, PASSWORD).call("device", "GetServices", IncludeCapability=False)
