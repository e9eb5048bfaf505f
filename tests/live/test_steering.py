"""A head steered live: objects of a camera come to the plan, the head is told where to look, and one that is lost is told."""

from __future__ import annotations

import asyncio
import math
import time

import numpy as np
import pytest
from sqlalchemy import select

from devices.onvif.test_ptz import LOGIN, PASSWORD, served
from lantern.core.kinds import detector_of
from lantern.core.optics.mount import Mount, View
from lantern.core.site import Device, Place, Site
from lantern.core.tracks import Seen
from lantern.db.base import transaction
from lantern.live.engine import Engine
from lantern.live.tables import EventRow
from lantern.people.tables import add_user
from lantern.register.passwords import keep_password
from lantern.register.tables import device_by_code
from lantern.signals.tracks.feed import Scene
from lantern.sites.actions import add_site
from lantern.standins.ptz.device import PtzDevice, make_app
from lantern.tune.actions import add_detector
from loops import in_a_loop

CAMERA = {
    "x_m": 0.0,
    "y_m": 0.0,
    "height_m": 20.0,
    "azimuth_deg": 0.0,
    "tilt_deg": 60.0,
    "focal_mm": 6.0,
    "sensor_width_mm": 8.0,
}
HEAD = {
    "x_m": -10.0, "y_m": 0.0, "height_m": 6.0, "azimuth_deg": 0.0, "tilt_deg": 20.0, "focal_mm": 6.0, "focal_min_mm": 6.0,
    "focal_max_mm": 60.0, "sensor_width_mm": 5.37, "pixels": [1280, 720], "pan_deg_s": 120.0,
}  # fmt: skip
PIXELS = (640, 480)


def onto(x: float, y: float) -> dict[str, float]:
    """The stand-in: 180 degrees a unit, its pan 0 to the north here; tilt from 90 down to 20 up."""
    dx, dy = x - HEAD["x_m"], y - HEAD["y_m"]
    tilt = math.degrees(math.atan2(6.0, math.hypot(dx, dy)))
    return {"pan": math.degrees(math.atan2(dx, dy)) / 180, "tilt": 1 - 2 * (tilt + 20) / 110, "x_m": x, "y_m": y}


def site(url: str) -> Site:
    turned = {"pairs": [onto(0.0, 10.0), onto(8.0, 20.0), onto(-20.0, 12.0), onto(-8.0, 5.0)]}
    head = Device.model_validate(
        {"code": "Z1", "name": "Mast", "kind": "ptz", "mount": HEAD, "turned": turned}
        | {"address": {"url": f"{url}/onvif/device_service", "login": LOGIN}}
    )
    size = {"width": PIXELS[0], "height": PIXELS[1]}
    camera = Device(
        code="V2", name="Camera", kind="camera", mount=CAMERA, ability=size, address={"url": "http://127.0.0.1:9/"}
    )
    return Site(name="Yard", places=(Place(name="Yard", devices=(head, camera)),))


DOCUMENT = {
    "name": "visitors",
    "kind": "follow",
    "device": "Z1",
    "cameras": ["V2"],
    "dials": {"lost_s": 0.5, "still_s": 0.0},
}


def box(x: float, y: float) -> Seen:
    u, v = View(Mount(**CAMERA, pixels=PIXELS)).pixels(np.array([x, y, 0.0]))
    return Seen(1, (float(u) - 5, float(v) - 20, 10.0, 20.0), label="person")


def test_the_head_looks_where_somebody_is_and_one_that_is_lost_is_told(database: str) -> None:
    device = PtzDevice(LOGIN, PASSWORD, lambda body, channel, masks: b"")

    async def until(what, within_s: float = 40.0) -> float:
        began = time.monotonic()
        while not what():
            assert time.monotonic() - began < within_s
            await asyncio.sleep(0.05)
        return time.monotonic() - began

    async def run(url: str) -> None:
        with transaction() as session:
            user = add_user(session, login="ida", name="Ida Test", password="open sesame")
            made = add_site(session, site(url))
            head, camera = device_by_code(session, made.id, "Z1"), device_by_code(session, made.id, "V2")
            assert head is not None and camera is not None
            keep_password(session, head, PASSWORD)
            add_detector(session, device_id=head.id, detector=detector_of(DOCUMENT), reason="first", user_id=user.id)
            ids = head.id, camera.id
        engine = Engine()
        await engine.reload()
        steered = engine.steering.heads[ids[0]]
        await until(lambda: steered.looks is not None)
        await until(lambda: engine.state(ids[0])["head"]["error"] == "")
        began = time.time()
        for step in range(25):
            await engine.take(ids[1], Scene(began + 0.1 * step, [box(0.0, 12.0)]))
            await asyncio.sleep(0.02)
        expected = math.degrees(math.atan2(10.0, 12.0))
        await until(lambda: not device.body.moving and abs(device.body.pan.at - expected) < 1.0)
        assert steered.sent > 0
        assert max(steered.delays_ms) < 2000
        state = engine.state(ids[0])["detectors"][0]
        assert state["follows"] == "V2-1"
        device.play("no power", True)
        assert await until(lambda: bool(engine.state(ids[0])["head"]["error"])) < 5.0
        assert engine.state(ids[0])["detectors"][0]["standing"][""]["state"] == "unknown"
        device.play("no power", False)
        await until(lambda: not engine.state(ids[0])["head"]["error"])
        for step in range(10):  # and now it is gone
            await engine.take(ids[1], Scene(began + 2.5 + 0.1 * step, []))
        await engine.stop()

    with served(make_app(device)) as url:
        in_a_loop(lambda: run(url))
    with transaction() as session:
        [event] = session.scalars(select(EventRow))
        assert (event.object, event.cleared_by) == ("V2-1", "lost")
        assert event.why["x_m"] == pytest.approx(0.0, abs=0.1)
