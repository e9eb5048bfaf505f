"""A head's duty, live on the stand-in: its round, somebody who is followed, a hand that takes it, and that it is given back."""

from __future__ import annotations

import asyncio
import math
import time
from datetime import timedelta

from sqlalchemy import select

from devices.onvif.test_ptz import LOGIN, PASSWORD, served
from lantern.core.kinds import detector_of
from lantern.db.base import now, transaction
from lantern.duty.looks import looks_between
from lantern.duty.recorded import drives
from lantern.duty.tables import HadRow, HoldRow
from lantern.live.engine import Engine
from lantern.people.tables import add_user
from lantern.register.devices import change_device
from lantern.register.passwords import keep_password
from lantern.register.tables import DeviceRow, device_by_code
from lantern.signals.tracks.feed import Scene
from lantern.sites.actions import add_site
from lantern.standins.ptz.device import PtzDevice, make_app
from lantern.tune.actions import add_detector
from live.test_steering import DOCUMENT, box, onto, site
from loops import in_a_loop

PRESETS = [
    {"number": number, "name": f"p{number}", **{key: onto(x, y)[key] for key in ("pan", "tilt")}, "zoom": 0.0}
    for number, (x, y) in enumerate([(20.0, 12.0), (-30.0, 12.0)], 1)
]
DUTY = {
    "rounds": [{"name": "round", "stops": [{"preset": 1, "stay_s": 1.5}, {"preset": 2, "stay_s": 1.5}]}],
    "idle": "round", "idle_after_s": 0.0, "release_s": 1.0,
}  # fmt: skip


def bearing(x: float, y: float) -> float:
    return math.degrees(math.atan2(x + 10.0, y))


def test_it_goes_its_round_follows_is_taken_by_hand_and_goes_on(database: str) -> None:
    device = PtzDevice(LOGIN, PASSWORD, lambda body, channel, masks: b"")

    async def until(what, within_s: float = 40.0) -> None:
        end = time.monotonic() + within_s
        while not what():
            assert time.monotonic() < end
            await asyncio.sleep(0.05)

    def looks_to(degrees: float) -> bool:
        return abs((device.body.pan.at - degrees + 180) % 360 - 180) < 1.0

    async def run(url: str) -> None:
        with transaction() as session:
            user = add_user(session, login="ida", name="Ida Test", password="open sesame")
            made = add_site(session, site(url))
            head, camera = device_by_code(session, made.id, "Z1"), device_by_code(session, made.id, "V2")
            assert head is not None and camera is not None
            keep_password(session, head, PASSWORD)
            turned = head.extras["turned"] | {"presets": PRESETS}
            change_device(session, head, {"turned": turned, "duty": DUTY}, place=head.place)
            add_detector(session, device_id=head.id, detector=detector_of(DOCUMENT), reason="first", user_id=user.id)
            ids = head.id, camera.id
        engine = Engine()
        await engine.reload()
        await until(lambda: looks_to(bearing(20, 12)))
        await until(lambda: looks_to(bearing(-30, 12)))
        assert engine.state(ids[0])["head"]["by"] == "idle"
        began = time.time()

        async def somebody(step: int) -> None:
            await engine.take(ids[1], Scene(began + 0.1 * step, [box(0.0, 12.0)]))
            await asyncio.sleep(0.1)

        for step in range(45):
            await somebody(step)
        assert looks_to(bearing(0, 12))
        assert engine.state(ids[0])["head"]["by"] == "called"
        with transaction() as session:  # a hand takes it: who is followed is left alone
            session.add(
                HoldRow(device_id=ids[0], who="Ida Test", rank=6, from_at=now(), until_at=now() + timedelta(seconds=2))
            )
        await until(lambda: engine.state(ids[0])["head"]["by"] == "by hand")
        device.body.halt()
        device.body.pan.go(120.0)
        for step in range(45, 65):
            await somebody(step)
        assert looks_to(120.0)
        for step in range(65, 75):  # and now it is gone
            await engine.take(ids[1], Scene(began + 0.1 * step, []))
        await until(lambda: engine.state(ids[0])["head"]["by"] == "idle")
        await until(lambda: looks_to(bearing(20, 12)) or looks_to(bearing(-30, 12)))
        with transaction() as session:
            written = [
                row.by for row in session.scalars(select(HadRow).where(HadRow.device_id == ids[0]).order_by(HadRow.id))
            ]
            assert session.get_one(DeviceRow, ids[0]).extras["duty"]["idle"] == "round"
        assert [by for by in written if by in ("call", "manual")] == ["call", "manual"]
        assert written[-1] == "idle"
        with transaction() as session:  # and where it looked is kept
            looked = looks_between(session, ids[0], now() - timedelta(minutes=2), now())
            [drive] = drives(session, ids[0])
        assert len(looked) > 20
        assert any(row.aim is not None and abs(row.aim.pan_deg - bearing(0, 12)) < 1 for row in looked)
        assert drive.who == "Ida Test"
        await engine.stop()

    with served(make_app(device)) as url:
        in_a_loop(lambda: run(url))
