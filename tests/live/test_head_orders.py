"""A link sends a head to a preset, live on the stand-in: it goes there, gives way to a more urgent one, and to a hand."""

from __future__ import annotations

import asyncio
import math
import time
from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest
from sqlalchemy import select

from core.ptz.test_turned import HEAD as TALL
from devices.onvif.test_ptz import LOGIN, PASSWORD, served
from lantern.core.kinds import detector_of
from lantern.core.linking.arming import Firing
from lantern.core.linking.links import LinkRule
from lantern.core.ptz.turned import Pointing, Turned
from lantern.db.base import now, transaction
from lantern.duty.tables import HoldRow
from lantern.live.engine import Engine
from lantern.live.head_orders import Wanted
from lantern.live.outbox import place
from lantern.live.tables import EventRow, OrderRow
from lantern.live.whereabouts import Whereabouts
from lantern.people.tables import add_user
from lantern.register.devices import change_device
from lantern.register.passwords import keep_password
from lantern.register.tables import device_by_code
from lantern.signals.tracks.feed import Scene
from lantern.sites.actions import add_site
from lantern.standins.ptz.device import PtzDevice, make_app
from lantern.tune.actions import add_detector
from live.test_duty import DUTY, PRESETS, bearing
from live.test_steering import HEAD, box, site
from loops import in_a_loop


def test_it_goes_where_links_send_it_and_back_to_its_round(database: str) -> None:
    device = PtzDevice(LOGIN, PASSWORD, lambda body, channel, masks: b"")
    ids: dict[str, int] = {}

    def order(**effect: Any) -> None:
        link = LinkRule.model_validate(
            {"name": "send", "detector": "d", "effects": [{"do": "go_to", "device": "Z1", **effect}]}
        )
        with transaction() as session:
            event = EventRow(
                site_id=ids["site"], compound="c", revision=0, region="", raised_at=now(), repeat=False, reading=0, why={},
                outcome="fired",
            )  # fmt: skip
            session.add(event)
            session.flush()
            firing = Firing("send", link.effects[0], 0.0, "Z1", link.effects[0].lasts_s({}))
            place(session, event.id, ids["head"], firing, event.raised_at, {})

    def results() -> list[str | None]:
        with transaction() as session:
            return list(session.scalars(select(OrderRow.result).order_by(OrderRow.id)))

    async def until(what: Callable[[], bool], within_s: float = 15.0) -> None:
        end = time.monotonic() + within_s
        while not what():
            assert time.monotonic() < end, (results(), device.body.pan.at)
            await asyncio.sleep(0.05)

    def looks_to(degrees: float) -> bool:
        return abs((device.body.pan.at - degrees + 180) % 360 - 180) < 1.0

    async def run(url: str) -> None:
        with transaction() as session:
            add_user(session, login="ida", name="Ida Test", password="open sesame")
            made = add_site(session, site(url))
            head = device_by_code(session, made.id, "Z1")
            assert head is not None
            keep_password(session, head, PASSWORD)
            third = PRESETS[0] | {"number": 3, "name": "far", "pan": PRESETS[0]["pan"] - 0.2}
            turned = head.extras["turned"] | {"presets": [*PRESETS, third]}
            change_device(session, head, {"turned": turned, "duty": DUTY | {"idle": None}}, place=head.place)
            ids.update(site=made.id, head=head.id)
        engine = Engine()
        await engine.start()
        try:
            await until(lambda: engine.steering.heads[ids["head"]].looks is not None)
            order(preset=1, length_s=60.0)
            await until(lambda: looks_to(bearing(20, 12)))
            assert engine.state(ids["head"])["head"]["by"] == "called"
            order(preset="far", length_s=30.0)  # no more urgent: it finds it busy
            await until(lambda: results()[1:] == ["busy"])
            order(preset=2, length_s=60.0, priority=1)  # more urgent: what runs is cut
            await until(lambda: looks_to(bearing(-30, 12)))
            assert results() == ["cut", "busy", "done"]
            order(preset=9, length_s=5.0)
            await until(lambda: results()[3:] == ["dropped"])
            with transaction() as session:  # a hand takes it
                until_at = now() + timedelta(seconds=3)
                session.add(HoldRow(device_id=ids["head"], who="Ida", rank=6, from_at=now(), until_at=until_at))
            await until(lambda: results()[2] == "cut")
            order(preset=1, length_s=5.0)
            await until(lambda: results()[4:] == ["busy"])
        finally:
            await engine.stop()

    with served(make_app(device)) as url:
        in_a_loop(lambda: run(url))


def test_one_whom_nobody_sees_after_a_restart_is_gone_in_time(monkeypatch: pytest.MonkeyPatch) -> None:
    wanted, row = Wanted(Whereabouts()), OrderRow(id=1, do="follow")
    pointing = Pointing(Turned(), TALL)
    assert wanted.aim(row, pointing) is None
    assert not wanted.is_gone(row)
    later = time.monotonic() + 6.0
    monkeypatch.setattr(time, "monotonic", lambda: later)
    assert wanted.aim(row, pointing) is None
    assert wanted.is_gone(row)
    wanted.forget(())
    assert not wanted.is_gone(row)


def test_it_follows_whoever_raised_until_they_are_gone(database: str) -> None:
    device = PtzDevice(LOGIN, PASSWORD, lambda body, channel, masks: b"")
    zone = {"name": "yard", "shape": "polygon", "points": [[0, 0], [640, 0], [640, 480], [0, 480]]}

    async def run(url: str) -> None:
        with transaction() as session:
            user = add_user(session, login="ida", name="Ida Test", password="open sesame")
            made = add_site(session, site(url))
            head, camera = (device_by_code(session, made.id, code) for code in ("Z1", "V2"))
            assert head is not None and camera is not None
            keep_password(session, head, PASSWORD)
            document = detector_of({"name": "yard", "kind": "zone", "device": "V2", "regions": [zone]})
            row = add_detector(session, device_id=camera.id, detector=document, reason="first", user_id=user.id)
            ids = {"head": head.id, "camera": camera.id, "detector": row.id}
        follow = LinkRule.model_validate(
            {"name": "follow", "detector": "yard", "effects": [{"do": "follow", "device": "Z1", "length_s": 60.0}]}
        ).effects[0]

        def order(named: str | None) -> None:
            with transaction() as session:
                event = EventRow(
                    detector_id=ids["detector"], revision=1, region="yard", object=named, raised_at=now(), repeat=False,
                    reading=0, why={}, outcome="fired",
                )  # fmt: skip
                session.add(event)
                session.flush()
                firing = Firing("follow", follow, 0.0, "Z1", 60.0)
                place(session, event.id, ids["head"], firing, event.raised_at, {})

        def results() -> list[tuple[str | None, str]]:
            with transaction() as session:
                return [(row.result, row.because) for row in session.scalars(select(OrderRow).order_by(OrderRow.id))]

        def looks_to(x: float, y: float) -> bool:
            wanted = math.degrees(math.atan2(x - HEAD["x_m"], y - HEAD["y_m"]))
            return abs((device.body.pan.at - wanted + 180) % 360 - 180) < 2.0

        async def seen(x: float, y: float, until: Callable[[], bool], *, nobody: bool = False) -> None:
            end = time.monotonic() + 20
            while not until():
                assert time.monotonic() < end, (results(), device.body.pan.at)
                await engine.take(ids["camera"], Scene(time.time(), [] if nobody else [box(x, y)]))
                await asyncio.sleep(0.05)

        engine = Engine()
        await engine.start()
        try:
            end = time.monotonic() + 15
            while engine.steering.heads[ids["head"]].looks is None:
                assert time.monotonic() < end
                await asyncio.sleep(0.05)
            await engine.take(ids["camera"], Scene(time.time(), [box(0.0, 12.0)]))
            order("nobody of that name")
            order("1")
            await seen(0.0, 12.0, lambda: looks_to(0.0, 12.0))
            assert results()[0] == ("dropped", "Nobody knows where whoever raised is.")
            assert engine.state(ids["head"])["head"]["by"] == "called"
            steered, until = engine.steering.heads[ids["head"]], time.monotonic() + 1.0
            sent = steered.sent
            await seen(0.0, 12.0, lambda: time.monotonic() > until)
            assert steered.sent == sent  # who stands still needs nothing told
            await seen(5.0, 9.0, lambda: looks_to(5.0, 9.0))  # it goes along
            gone = ("done", "Whom it followed is not seen any more.")
            await seen(0.0, 0.0, lambda: results()[1] == gone, nobody=True)
        finally:
            await engine.stop()

    with served(make_app(device)) as url:
        in_a_loop(lambda: run(url))
