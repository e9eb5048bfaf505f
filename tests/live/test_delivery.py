"""The live engine against a relay stand-in: order, retries, expiry, restarts; pymodbus's own client as second voice."""

from __future__ import annotations

import asyncio
import os
import subprocess
import sys
import time
from collections.abc import Awaitable, Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
from pymodbus.client import AsyncModbusTcpClient
from sqlalchemy import select, update

from lantern.cluster import free_port
from lantern.core.decide import Change, State
from lantern.core.effects.switch.effect import Switch
from lantern.core.linking.arming import Armed
from lantern.core.logic.timetable import Timetable
from lantern.core.watch import Turn
from lantern.db.base import transaction
from lantern.devices.modbus import DeviceUnreachableError, RelayModule
from lantern.links.tables import armed_links
from lantern.live import outbox
from lantern.live.engine import Engine
from lantern.live.plans import load_plans
from lantern.live.recorder import Happening, record
from lantern.live.tables import DecisionRow, EventRow, OrderRow, OutputRow
from lantern.register.tables import DeviceRow
from lantern.signals.heat.feed import Picture
from lantern.signals.heat.wire import FrameHeader
from lantern.standins.relay import RelayStandIn
from lantern.tune.actions import save_revision
from lantern.tune.tables import DetectorRow
from loops import in_a_loop
from seeded import LINK, Small
from takes_on_disk import pictures, raw

PATIENCE_S = 60.0  # generous: the machine may be starved; nothing here is a measurement


async def until(condition: Callable[[], bool]) -> None:
    deadline = time.monotonic() + PATIENCE_S
    while not condition():
        assert time.monotonic() < deadline, f"it did not happen in time: {orders()}"
        await asyncio.sleep(0.02)


def point_module_at(small: Small, port: int) -> None:
    with transaction() as session:
        session.get_one(DeviceRow, small.module).address = {"host": "127.0.0.1", "port": port}


def orders() -> list[tuple[str, str, str | None]]:
    """Of each order: of what, its stage, what came of it."""
    with transaction() as session:
        rows = session.scalars(select(OrderRow).order_by(OrderRow.id))
        return [(row.thing, row.stage, row.result) for row in rows]


def happening(small: Small, *, repeat: bool = False, at: datetime | None = None) -> Happening:
    change = Change("repeat" if repeat else "raise", 1.0)
    return Happening(
        small.site, small.detector, 1, at or datetime.now(UTC), Turn("all", (change,), State(raised=True), 60.0, {})
    )


def links(small: Small):
    with transaction() as session:
        return armed_links(session, small.site, small.detector)


def camera_of(engine: Engine) -> int:
    """The one device that sends."""
    [device_id] = engine.tokens
    return device_id


async def play(engine: Engine, first: int = 0, stop: int = 40, t0: float = 1_700_000_000.0) -> None:
    """Send the test pictures, two a second of camera time, as fast as they go."""
    for i, pixels in enumerate(raw(pictures())[first:stop], first):
        header = FrameHeader(seq=i, t=t0 + i / 2, width=8, height=6)
        await engine.take(camera_of(engine), Picture(header, np.ascontiguousarray(pixels)))


def with_engine(
    small: Small, body: Callable[[Engine, RelayStandIn], Awaitable[None]], *, relay_on: bool = True
) -> None:
    async def run() -> None:
        relay = RelayStandIn(free_port())
        point_module_at(small, relay.port)
        if relay_on:
            await relay.start()
        engine = Engine()
        await engine.start()
        try:
            await body(engine, relay)
        finally:
            await engine.stop()
            await relay.stop()

    in_a_loop(run)


def test_the_stand_in_speaks_modbus_to_another_client() -> None:
    async def run() -> None:
        relay = RelayStandIn(free_port())
        await relay.start()
        async with AsyncModbusTcpClient("127.0.0.1", port=relay.port) as client:
            await client.write_coil(2, True, device_id=1)
            assert (await client.read_coils(0, count=8, device_id=1)).bits == [False, False, True] + [False] * 5
            await client.write_coils(0, [True, True], device_id=1)
            assert (await client.write_coil(9, True, device_id=1)).isError()
        assert [(coil, on) for _, coil, on in relay.switched] == [(2, True), (0, True), (1, True)]
        await relay.stop()

    in_a_loop(run)


def test_a_module_that_is_not_there_is_told_as_such() -> None:
    async def run() -> None:
        with pytest.raises(DeviceUnreachableError, match="refuses the connection"):
            await RelayModule("127.0.0.1", free_port()).write_coil(0, True)

    in_a_loop(run)


def test_a_module_without_an_address_says_so() -> None:
    async def ask() -> None:
        with pytest.raises(DeviceUnreachableError, match="no address yet: give its host and port"):
            await RelayModule("", 0).read_coils(0, 1)

    in_a_loop(ask)


def test_from_frames_to_a_coil_and_back(small: Small) -> None:
    async def body(engine: Engine, relay: RelayStandIn) -> None:
        await until(lambda: relay.coils[1])  # normally closed: held while idle
        await play(engine, stop=14)
        await until(lambda: relay.coils[0])
        await until(lambda: not relay.coils[0])
        # the coil is off before it is read back, and that before it is kept
        await until(lambda: engine.delivery.modules[small.module].coils == {"lamp": False, "stop": True})
        await until(lambda: orders() == [("lamp", "over", "done")])
        assert engine.delivery.modules[small.module].coils == {"lamp": False, "stop": True}

    with_engine(small, body)
    with transaction() as session:
        [event] = session.scalars(select(EventRow))
        assert (event.region, event.reading, event.outcome, event.revision) == ("all", 60.0, "fired", 1)


def test_live_raises_what_the_rehearsal_raised(small: Small) -> None:
    async def body(engine: Engine, relay: RelayStandIn) -> None:
        await play(engine)

    with_engine(small, body)
    with transaction() as session:
        rows = list(session.scalars(select(EventRow).order_by(EventRow.id)))
        assert [row.why["device_t"] - 1_700_000_000.0 for row in rows] == [6.0, 13.5]
        assert [row.cleared_by for row in rows] == ["reading", "reading"]


def test_an_unreachable_relay_is_told_and_served_when_it_returns(small: Small) -> None:
    async def body(engine: Engine, relay: RelayStandIn) -> None:
        await until(lambda: engine.delivery.modules[small.module].error not in ("", "not tried yet"))
        assert not engine.state(small.camera)["modules"][0]["reachable"]
        await play(engine, stop=14)
        await asyncio.sleep(1.5)
        assert orders() == [("lamp", "waiting", None)]
        await relay.start()
        await until(lambda: relay.coils[0])
        await until(lambda: not relay.coils[0])
        (on_at, _, _), (off_at, _, _) = [entry for entry in relay.switched if entry[1] == 0]
        assert off_at - on_at > 1.5  # a pulse that began late keeps its length

    with_engine(small, body, relay_on=False)


def test_an_effect_that_cannot_be_delivered_in_time_expires(small: Small) -> None:
    async def body(engine: Engine, relay: RelayStandIn) -> None:
        record(happening(small, at=datetime.now(UTC) - timedelta(seconds=59)), links(small))
        engine.delivery.wake()
        await until(lambda: orders()[0][2] == "expired")
        await relay.start()
        await until(lambda: engine.delivery.modules[small.module].reachable)
        await asyncio.sleep(0.5)
        assert not relay.coils[0]

    with_engine(small, body, relay_on=False)
    assert orders() == [("lamp", "over", "expired")]
    with transaction() as session:
        assert session.scalars(select(OrderRow)).one().because == "It could not begin within 60 s."


def test_a_relay_that_lost_its_coils_gets_them_again(small: Small) -> None:
    async def body(engine: Engine, relay: RelayStandIn) -> None:
        await until(lambda: relay.coils[1])
        await relay.stop()
        relay.coils[:] = [False] * 8
        await relay.start()
        await until(lambda: relay.coils[1])

    with_engine(small, body)


def test_two_links_of_one_event_may_order_of_one_output(small: Small) -> None:
    """The store held that for the same order twice, and the event was lost."""
    twin = Armed(LINK.model_copy(update={"name": "as well"}), None)
    assert record(happening(small), [*links(small), twin]) == ["fired"]
    assert orders() == [("lamp", "ordered", None)] * 2


def test_what_latches_outlasts_pulses_until_it_is_acknowledged(small: Small) -> None:
    latching = LINK.model_copy(update={"name": "latches", "effects": (Switch(output="lamp", mode="latched"),)})
    at = datetime.now(UTC)
    record(happening(small, at=at), [*links(small), Armed(latching, None)])
    outbox.confirm(small.module, "lamp", True, at)
    later = at + timedelta(hours=3)
    assert outbox.look(small.module, later).due == ()
    assert orders() == [("lamp", "over", "done"), ("lamp", "running", "done")]
    with transaction() as session:
        assert outbox.acknowledge(session, small.module, "lamp", later) == 1
    with transaction() as session:
        assert outbox.acknowledge(session, small.module, "lamp", later) == 0
    assert outbox.look(small.module, later).due == (outbox.Due("lamp", False),)
    assert orders() == [("lamp", "over", "done")] * 2


def test_an_acknowledgement_ends_no_pulse_and_nothing_that_is_still_to_come(small: Small) -> None:
    at = datetime.now(UTC)
    latch = Switch(output="lamp", mode="latched")
    soon = LINK.model_copy(update={"name": "soon", "effects": (latch,)})
    later = LINK.model_copy(update={"name": "later", "effects": (latch,), "delay_s": 30.0})
    record(happening(small, at=at), [*links(small), Armed(soon, None), Armed(later, None)])
    outbox.confirm(small.module, "lamp", True, at)
    with transaction() as session:
        assert outbox.acknowledge(session, small.module, "lamp", at + timedelta(seconds=1)) == 1
    assert outbox.look(small.module, at + timedelta(seconds=1)).due == ()  # the pulse goes on
    assert outbox.look(small.module, at + timedelta(seconds=3)).due == (outbox.Due("lamp", False),)
    outbox.confirm(small.module, "lamp", False, at + timedelta(seconds=3))
    assert outbox.look(small.module, at + timedelta(seconds=30)).due == (outbox.Due("lamp", True),)


def test_outside_its_timetable_nothing_is_ordered(small: Small) -> None:
    from lantern.links.actions import save_timetable
    from lantern.links.tables import timetables_of

    with transaction() as session:
        [row] = timetables_of(session, small.site)
        save_timetable(session, small.site, row.body | {"hours": []}, timetable_id=row.id, base=row.revision)
    assert record(happening(small), links(small)) == ["outside the timetable"]
    assert orders() == []


def test_outside_the_detectors_own_hours_a_raise_is_stored_and_fires_nothing(small: Small) -> None:
    never = Timetable(name="never", hours=())
    assert record(happening(small), links(small), never) == ["outside the timetable"]
    assert orders() == []
    with transaction() as session:
        [event] = session.scalars(select(EventRow))
        assert (event.region, event.outcome) == ("all", "outside the timetable")


def test_hours_are_taken_up_and_a_timetable_that_is_gone_is_told_at_the_detector(small: Small) -> None:
    with transaction() as session:
        row = session.get_one(DetectorRow, small.detector)
        model = row.model.model_copy(update={"timetable": "always on"})
        save_revision(session, row, model, reason="its hours", user_id=None, base=1)
    [plan] = load_plans().detectors
    assert (plan.hours is not None, plan.fault) == (True, "")
    with transaction() as session:
        session.execute(update(DetectorRow).values(body=row.body | {"timetable": "gone"}))

    async def body(engine: Engine, relay: RelayStandIn) -> None:
        await play(engine, stop=14)
        [state] = engine.state(small.camera)["detectors"]
        assert state["error"] == "the site has no timetable 'gone'"
        assert engine.feeds[small.camera].received == 14

    with_engine(small, body)
    with transaction() as session:
        assert session.scalars(select(EventRow)).all() == []


KILLED = """
import asyncio, os, sys
sys.path.insert(0, {tests!r})
from live.test_delivery import play
from lantern.live import recorder
from lantern.live import outbox
from lantern.live.engine import Engine

async def main():
    engine = Engine()
    await engine.start()
    await play(engine, stop=14)
    os.kill(os.getpid(), 9)

asyncio.run(main())
"""


def test_a_killed_engine_loses_nothing_and_fires_nothing_twice(small: Small) -> None:
    """The engine is killed by signal right after it stored a raise; a new one takes over with the camera still hot."""
    relay = RelayStandIn(free_port())
    point_module_at(small, relay.port)
    script = KILLED.format(tests=str(Path(__file__).parents[1]))
    done = subprocess.run([sys.executable, "-c", script], env=dict(os.environ), check=False, capture_output=True)
    assert done.returncode == -9
    [(thing, stage, came)] = orders()
    assert (thing, came) == ("lamp", None)
    assert stage in ("ordered", "waiting")  # whether it was looked at once before the kill is chance

    async def take_over() -> None:
        await relay.start()
        engine = Engine()
        await engine.start()
        try:
            await play(engine, first=14, stop=20)  # the same heat goes on, then ends
            await until(lambda: relay.coils[0])
            await until(lambda: not relay.coils[0])
        finally:
            await engine.stop()
            await relay.stop()

    in_a_loop(take_over)
    assert [(coil, on) for _, coil, on in relay.switched if coil == 0] == [(0, True), (0, False)]
    with transaction() as session:
        [event] = session.scalars(select(EventRow))
        assert event.cleared_by == "reading"
        assert not session.scalars(select(DecisionRow)).one().state["raised"]


def test_an_effect_written_but_not_marked_is_not_a_second_switching(small: Small) -> None:
    async def body(engine: Engine, relay: RelayStandIn) -> None:
        record(happening(small), links(small))
        engine.delivery.wake()
        await until(lambda: orders() == [("lamp", "running", "done")])
        with transaction() as session:  # as if the process had died between the write and its being kept
            session.execute(update(OrderRow).values(stage="waiting", result=None, from_at=None, to_at=None))
            session.execute(update(OutputRow).values(active=False))
        engine.delivery.wake()
        await until(lambda: orders() == [("lamp", "over", "done")])
        await until(lambda: not relay.coils[0])
        assert [(coil, on) for _, coil, on in relay.switched if coil == 0] == [(0, True), (0, False)]

    with_engine(small, body)


def test_frames_from_the_past_are_dropped_and_counted(small: Small) -> None:
    async def body(engine: Engine, relay: RelayStandIn) -> None:
        await play(engine, stop=5)
        pixels = raw(pictures())[0]
        header = FrameHeader(seq=9, t=1_700_000_000.0, width=8, height=6)
        await engine.take(camera_of(engine), Picture(header, pixels))
        assert (engine.feeds[small.camera].received, engine.feeds[small.camera].dropped) == (5, 1)

    with_engine(small, body)


def test_a_new_revision_is_taken_up(small: Small) -> None:
    from lantern.tune.actions import save_revision
    from lantern.tune.tables import DetectorRow

    async def body(engine: Engine, relay: RelayStandIn) -> None:
        await play(engine, stop=14)
        with transaction() as session:
            row = session.get_one(DetectorRow, small.detector)
            model = row.model.model_copy(update={"dials": row.model.dials | {"threshold_c": 90}})
            save_revision(session, row, model, reason="higher", user_id=None, base=1)
        await engine.reload()
        assert engine.runs[small.camera][0].revision == 2
        assert not any(state.raised for state in engine.runs[small.camera][0].watch.states.values())
        await play(engine, first=14)

    with_engine(small, body)
    with transaction() as session:
        [event] = session.scalars(select(EventRow))
        assert event.cleared_by == "lost"


def test_what_was_just_switched_on_is_looked_at_again_at_once(small: Small) -> None:
    """Its end may be due long before anything else: a pulse of two seconds is no pulse of as long as the next look takes."""

    async def body(engine: Engine, relay: RelayStandIn) -> None:
        await until(lambda: relay.coils[1])
        module = engine.delivery.modules[small.module]
        engine.delivery.modules = {}  # its own loop ends; here it is served by hand
        await asyncio.sleep(0)
        record(happening(small), links(small))
        assert await engine.delivery.serve_once(module) == 0.0
        assert relay.coils[0]
        assert 0.0 < await engine.delivery.serve_once(module) <= 2.0  # as long as the link says
        engine.delivery.modules = {small.module: module}

    with_engine(small, body)
