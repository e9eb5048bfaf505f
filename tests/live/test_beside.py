"""A radar's detector that asks a camera, live: what came over two devices' wires, each by its own clock, comes to one event or to none."""

from __future__ import annotations

import json
import time

import numpy as np
import pytest
from sqlalchemy import select

from lantern.core.kinds import detector_of
from lantern.core.optics.mount import Mount, View
from lantern.core.site import Device, Place, Site
from lantern.core.tracks import Seen
from lantern.db.base import transaction
from lantern.live.engine import Engine
from lantern.live.tables import EventRow
from lantern.people.tables import add_user
from lantern.register.tables import device_by_code
from lantern.signals.tracks.feed import Scene
from lantern.sites.actions import add_site
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
RADAR = {"x_m": 0.0, "y_m": 0.0, "height_m": 3.0, "azimuth_deg": 0.0, "sector_deg": 120.0, "range_m": 60.0}
PIXELS = (640, 480)
SITE = Site(
    name="Quay",
    places=(
        Place(
            name="Edge",
            devices=(
                Device(code="R1", name="Radar", kind="radar", mount=RADAR),
                Device(
                    code="V3",
                    name="Camera",
                    kind="camera",
                    mount=CAMERA,
                    ability={"width": PIXELS[0], "height": PIXELS[1]},
                    address={"url": "http://127.0.0.1:9/"},
                ),
            ),
        ),
    ),
)
DOCUMENT = {
    "name": "in",
    "kind": "radar",
    "device": "R1",
    "dials": {"profile": "inbound", "distance_m": 2.0},
    "beside": {"device": "V3", "wants": "both", "gate_m": 2.0, "within_s": 1.0},
}
AHEAD_S = {"R1": 5000.0, "V3": -300.0}  # of the devices' clocks before ours


def scan(t: float, away: float) -> bytes:
    seen = {"target": "b1", "range_m": away, "azimuth_deg": 0.0, "radial_speed_mps": -1.0, "rcs_dbsm": 10.0}
    return json.dumps({"format": "lantern-scan/1", "seq": round(t * 10), "t": t, "returns": [seen]}).encode()


def box(away: float) -> Seen:
    u, v = View(Mount(**CAMERA, pixels=PIXELS)).pixels(np.array([0.0, away, 0.0]))
    return Seen(1, (float(u) - 5, float(v) - 20, 10.0, 20.0))


@pytest.mark.parametrize(("sees", "raises"), [("it", 1), ("something else", 0), ("nothing, for it is away", 1)])
def test_what_two_devices_sent_comes_to_one_event(database: str, sees: str, raises: int) -> None:
    async def run() -> None:
        with transaction() as session:
            user = add_user(session, login="ida", name="Ida Test", password="open sesame")
            site = add_site(session, SITE)
            radar, camera = device_by_code(session, site.id, "R1"), device_by_code(session, site.id, "V3")
            assert radar is not None and camera is not None
            add_detector(session, device_id=radar.id, detector=detector_of(DOCUMENT), reason="first", user_id=user.id)
            ids = radar.id, camera.id
        engine = Engine()
        await engine.reload()
        began = time.time()
        for step in range(12):
            away, now = 16.0 - 0.5 * step, began + 0.1 * step
            feed = engine.feeds[ids[0]]
            if sees != "nothing, for it is away":
                there = [box(away)] if sees == "it" else [box(away + 5.0)]
                await engine.take(ids[1], Scene(now + AHEAD_S["V3"], there))
            await engine.take(ids[0], feed.read(scan(now + AHEAD_S["R1"], away)))
        state = engine.state(ids[0])["detectors"][0]
        assert state["beside"][0] == "V3"
        assert bool(state["beside"][1]) == (sees == "nothing, for it is away")
        await engine.stop()

    in_a_loop(run)
    with transaction() as session:
        events = list(session.scalars(select(EventRow)))
        assert len(events) == raises
        if events:
            said = events[0].why["beside"]
            assert said == ("V3 saw it too" if sees == "it" else "V3 was away: the radar by itself")
