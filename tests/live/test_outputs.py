"""Outputs when the program ends and begins: pulses end, latches stay, the overdue goes first, a watchdog lets coils go."""

from __future__ import annotations

import asyncio
import os
import subprocess
import sys
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

import psycopg
import pytest
from sqlalchemy import select, update

from lantern.cluster import free_port
from lantern.core.effects.switch.effect import Switch
from lantern.core.faults import Refused
from lantern.core.site import Device, Place, Site
from lantern.db.base import transaction
from lantern.db.changes import CHANNEL
from lantern.db.migrate import plain_url
from lantern.live import outbox
from lantern.live.engine import Engine
from lantern.live.recorder import record
from lantern.live.tables import OrderRow, OutputRow
from lantern.register.tables import DeviceRow, device_by_code
from lantern.sites.actions import add_site
from lantern.standins.relay import WATCHDOG_REGISTER, RelayStandIn
from live.test_delivery import happening, links, orders, point_module_at, until, with_engine
from loops import in_a_loop
from seeded import LINK, SITE, Small, small_site

TENTH_S = 0.1


@pytest.fixture
def both(database: str, tmp_path: Path) -> Small:
    """A raise lights the lamp for a minute and latches the stop."""
    effects = (Switch(output="lamp", length_s=60.0), Switch(output="stop", mode="latched"))
    return small_site(tmp_path, link=LINK.model_copy(update={"effects": effects}))


def test_an_orderly_stop_ends_pulses_and_leaves_what_is_latched(both: Small) -> None:
    async def body(engine: Engine, relay: RelayStandIn) -> None:
        record(happening(both), links(both))
        engine.delivery.wake()
        await until(lambda: orders() == [("lamp", "running", "done"), ("stop", "running", "done")])
        assert relay.coils[:2] == [True, False]  # the lamp is on; the stop, normally closed, is let go
        await engine.stop()
        assert relay.coils[:2] == [False, False]

    with_engine(both, body)
    assert orders() == [("lamp", "over", "cut"), ("stop", "running", "done")]
    with transaction() as session:
        lamp = session.scalars(select(OrderRow).where(OrderRow.thing == "lamp")).one()
        assert lamp.because == "The program was stopped."
    assert outbox.outputs_on(both.module, datetime.now(UTC)) == ([], ["stop"])


def test_at_a_start_what_is_overdue_is_switched_off_first(both: Small) -> None:
    """The engine was killed in a pulse, which is over since; and another output's on is due longer."""

    async def body(engine: Engine, relay: RelayStandIn) -> None:
        record(happening(both), links(both))
        engine.delivery.wake()
        await until(lambda: orders() == [("lamp", "running", "done"), ("stop", "running", "done")])

    with_engine(both, body)
    at = datetime.now(UTC)
    with transaction() as session:  # as after a kill: on, its pulse over, and nobody has let it go
        lamp, stop = session.scalars(select(OrderRow).order_by(OrderRow.id)).all()
        lamp.stage, lamp.result, lamp.to_at = "running", "done", at
        session.execute(update(OutputRow).where(OutputRow.output == "lamp").values(active=True))
        stop.stage, stop.result, stop.from_at, stop.at = "waiting", None, None, at - timedelta(seconds=20)

    async def again() -> list[int]:
        relay = RelayStandIn(free_port(), coils=[True, True] + [False] * 6)
        point_module_at(both, relay.port)
        await relay.start()
        engine = Engine()
        await engine.start()
        await until(lambda: len(relay.switched) >= 2)
        await engine.stop()
        await relay.stop()
        return [coil for _, coil, _ in relay.switched]

    assert in_a_loop(again) == [0, 1]


DRIVES = """
import asyncio
from lantern.live import outbox
from lantern.live.engine import Engine

async def main():
    engine = Engine()
    await engine.start()
    print("drives", flush=True)
    await asyncio.sleep(300)

asyncio.run(main())
"""


def test_a_watchdog_lets_the_coils_go_once_the_program_is_killed(both: Small) -> None:
    timeout_s = 0.8

    async def run() -> tuple[float, float]:
        relay = RelayStandIn(free_port())
        await relay.start()
        point_module_at(both, relay.port)
        with transaction() as session:
            module = session.get_one(DeviceRow, both.module)
            module.watchdog = {"register_address": WATCHDOG_REGISTER, "unit_s": TENTH_S, "value": timeout_s / TENTH_S}
        record(happening(both), links(both))
        command = [sys.executable, "-c", DRIVES]
        driver = await asyncio.to_thread(lambda: subprocess.Popen(command, env=dict(os.environ)))
        await until(lambda: relay.coils[0])
        held_from = time.monotonic()
        await asyncio.sleep(3 * timeout_s)
        assert relay.coils[0], "it was kept alive"
        driver.kill()
        killed, held_s = time.monotonic(), time.monotonic() - held_from
        await until(lambda: not relay.coils[0])
        dropped_s = time.monotonic() - killed
        await asyncio.to_thread(driver.wait)
        await relay.stop()
        return held_s, dropped_s

    held_s, dropped_s = in_a_loop(run)
    assert held_s > 3 * timeout_s
    assert dropped_s < timeout_s + 5  # it is let go of at all; how late a starved machine sees it says nothing


def test_the_unit_of_the_address_is_the_one_that_is_asked(both: Small) -> None:
    async def body(engine: Engine, relay: RelayStandIn) -> None:
        assert engine.delivery.modules[both.module].relay.device_id == 1
        with transaction() as session:
            session.get_one(DeviceRow, both.module).address = {"host": "127.0.0.1", "port": relay.port, "unit": 7}
        await until(lambda: engine.delivery.modules[both.module].relay.device_id == 7)
        await until(lambda: engine.delivery.modules[both.module].error not in ("", "not tried yet"))
        assert not engine.delivery.modules[both.module].reachable  # the stand-in is unit 1

    with_engine(both, body)


# ---- two sites may share codes and names of outputs ------------------------------------------------------------------


def test_two_sites_of_the_same_names_do_not_touch_each_others_outputs(both: Small) -> None:
    with transaction() as session:
        twin = add_site(session, SITE.model_copy(update={"name": "Twin"}))
        module = device_by_code(session, twin.id, "M1")
        camera = device_by_code(session, twin.id, "T1")
        assert module is not None
        assert camera is not None
        twin_module, twin_camera, twin_token = module.id, camera.id, camera.token
    record(happening(both), links(both))
    with transaction() as session:
        assert {row.device_id for row in session.scalars(select(OrderRow))} == {both.module}
        assert outbox.acknowledge(session, twin_module, "stop", datetime.now(UTC)) == 0
        assert outbox.acknowledge(session, both.module, "stop", datetime.now(UTC)) == 1

    async def body(engine: Engine, relay: RelayStandIn) -> None:
        assert {both.camera, twin_camera} == set(engine.feeds)
        assert engine.sender("T1", both.token) == both.camera
        assert engine.sender("T1", twin_token) == twin_camera
        assert engine.sender("T2", twin_token) is None
        assert engine.sender("T1", "Ångström") is None
        assert [m["id"] for m in engine.state(twin_camera)["modules"]] == [twin_module]

    with_engine(both, body)


def test_two_outputs_of_one_name_are_refused() -> None:
    lamp = SITE.places[0].devices[1]
    second = Device(code="M2", name="Second module", kind="io_module", outputs=lamp.outputs[:1])
    twice = Site(name="Twice", places=(*SITE.places, Place(name="Yard", devices=(second,))))
    with pytest.raises(Refused, match="outputs: 2 are called 'lamp'"):
        twice.check()


def test_an_output_that_is_gone_is_said_and_the_event_is_kept(both: Small) -> None:
    armed = links(both)
    with transaction() as session:
        module = session.get_one(DeviceRow, both.module)
        module.outputs = [output for output in module.outputs if output["name"] != "lamp"]
    assert record(happening(both), armed) == ["fired; the site has no output lamp any more"]
    assert orders() == [("stop", "ordered", None)]


def test_an_acknowledgement_tells_the_engine_at_once(small: Small) -> None:
    """It would not look before something is due."""
    with psycopg.connect(plain_url(), autocommit=True) as listening:
        listening.execute(f"LISTEN {CHANNEL}".encode())
        with transaction() as session:
            outbox.acknowledge(session, small.module, "lamp", datetime.now(UTC))
        told = [news.payload for news in listening.notifies(timeout=10, stop_after=1)]
    assert told == ["output"]
