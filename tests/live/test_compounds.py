"""Compounds live: contacts of the stand-in make one, what it raises lights a lamp, stands with its first part, and outlasts a restart."""

from __future__ import annotations

import asyncio
from typing import Any

import pytest
from sqlalchemy import select

from lantern.core.faults import Refused
from lantern.db.base import transaction
from lantern.links.actions import save_link, save_timetable
from lantern.links.compounds import delete_compound, save_compound
from lantern.links.tables import CompoundRow, LinkRow, NamedCause, links_of_named
from lantern.live.engine import Engine
from lantern.live.tables import EventRow, OrderRow
from lantern.register.devices import change_device
from lantern.register.tables import DeviceRow
from lantern.standins.relay import RelayStandIn
from live.test_delivery import until
from live.test_inputs import INPUTS, play, settled
from seeded import Small

GATE, STOP = 2, 5  # contacts; the stop button is closed while nobody presses it
BOTH = {"name": "both", "kind": "all", "within_s": 5.0, "parts": [{"input": "gate"}, {"input": "stop button"}]}
ALONE = {"name": "alone", "kind": "unless", "wait_s": 0.4, "quiet_s": 0.2, "parts": BOTH["parts"]}


@pytest.fixture
def wired(small: Small) -> Small:
    with transaction() as session:
        row = session.get_one(DeviceRow, small.module)
        change_device(session, row, {"inputs": INPUTS}, place=row.place)
    return small


def tie(small: Small, document: dict[str, Any], output: str, **more: Any) -> None:
    with transaction() as session:
        save_compound(session, small.site, document, compound_id=None)
        effects = [{"output": output, "length_s": 0.6, **more}]
        link = {"name": f"{document['name']} to {output}", "effects": effects}
        save_link(session, NamedCause(small.site, "compound", document["name"]), link, link_id=None)


def raised() -> list[tuple[str | None, str, bool]]:
    with transaction() as session:
        rows = session.scalars(select(EventRow).where(EventRow.compound.is_not(None)).order_by(EventRow.id))
        return [(row.compound, row.outcome, row.cleared_at is not None) for row in rows]


async def idle(engine: Engine, small: Small) -> None:
    for name in ("gate", "stop button"):
        await settled(engine, small, name, "idle")


def test_both_within_a_time_light_the_lamp(wired: Small) -> None:
    tie(wired, BOTH, "lamp")

    async def body(engine: Engine, relay: RelayStandIn) -> None:
        await idle(engine, wired)
        relay.contacts[GATE] = True
        await settled(engine, wired, "gate", "active")
        await asyncio.sleep(0.3)
        assert raised() == []
        relay.contacts[STOP] = False
        await until(lambda: relay.coils[0])
        assert raised() == [("both", "fired", True)]  # an instant
        await until(lambda: not relay.coils[0])

    play(wired, body)


def test_one_and_not_the_other_stands_as_long_as_the_first(wired: Small) -> None:
    tie(wired, ALONE, "lamp")

    async def body(engine: Engine, relay: RelayStandIn) -> None:
        await idle(engine, wired)
        relay.contacts[STOP] = False  # it disturbs
        await settled(engine, wired, "stop button", "active")
        relay.contacts[GATE] = True
        await settled(engine, wired, "gate", "active")
        await asyncio.sleep(0.8)
        assert raised() == []
        relay.contacts[STOP] = True
        await until(lambda: raised() == [("alone", "fired", False)])
        await until(lambda: relay.coils[0])
        relay.contacts[GATE] = False
        await until(lambda: raised() == [("alone", "fired", True)])

    play(wired, body)


def test_what_waits_goes_on_after_a_restart_and_raises_once(wired: Small) -> None:
    tie(wired, ALONE | {"wait_s": 2.0}, "lamp")

    async def body(engine: Engine, relay: RelayStandIn) -> None:
        await idle(engine, wired)
        relay.contacts[GATE] = True
        await settled(engine, wired, "gate", "active")
        await engine.stop()
        again = Engine()
        await again.start()
        try:
            await until(lambda: raised() == [("alone", "fired", False)])
        finally:
            await again.stop()
        third = Engine()
        await third.start()
        try:
            await asyncio.sleep(0.5)
            assert raised() == [("alone", "fired", False)]
        finally:
            await third.stop()

    play(wired, body)


def test_outside_its_own_hours_it_is_kept_and_fires_nothing(wired: Small) -> None:
    with transaction() as session:
        save_timetable(session, wired.site, {"name": "never", "zone": "UTC", "hours": []}, timetable_id=None)
    tie(wired, BOTH | {"timetable": "never"}, "lamp")

    async def body(engine: Engine, relay: RelayStandIn) -> None:
        await idle(engine, wired)
        relay.contacts[GATE], relay.contacts[STOP] = True, False
        await until(lambda: raised() == [("both", "outside the timetable", True)])
        assert not relay.coils[0]

    play(wired, body)


def test_an_output_and_an_input_that_sleep_do_nothing_and_say_so(wired: Small) -> None:
    with transaction() as session:
        save_timetable(session, wired.site, {"name": "never", "zone": "UTC", "hours": []}, timetable_id=None)
        row = session.get_one(DeviceRow, wired.module)
        outputs = [{**each, "was": each["name"]} for each in row.outputs]
        outputs[0]["timetable"] = "never"  # the lamp's
        inputs = [{**each, "was": each["name"]} for each in INPUTS]
        inputs[2]["timetable"] = "never"  # the stop button's
        change_device(session, row, {"outputs": outputs, "inputs": inputs}, place=row.place)
    tie(wired, {"name": "one", "kind": "any", "parts": [{"input": "gate"}]}, "lamp")
    tie(wired, BOTH, "stop")

    async def body(engine: Engine, relay: RelayStandIn) -> None:
        await idle(engine, wired)
        relay.contacts[GATE], relay.contacts[STOP] = True, False
        await until(lambda: raised() == [("one", "fired", True)])
        await settled(engine, wired, "stop button", "active")
        await asyncio.sleep(0.5)
        assert raised() == [("one", "fired", True)]  # an input that sleeps is no part of anything
        with transaction() as session:
            [order] = session.scalars(select(OrderRow))
            assert (order.thing, order.result) == ("lamp", "asleep")
            assert order.because.startswith("The timetable never of the output is off then")
            slept = session.scalars(select(EventRow).where(EventRow.input == "stop button")).one()
            assert slept.because.startswith("Outside its own timetable: never")
        assert not relay.coils[0]

    play(wired, body)


def test_a_new_name_is_followed_and_one_that_is_listened_to_stays(wired: Small) -> None:
    tie(wired, BOTH, "lamp")
    with transaction() as session:
        [row] = session.scalars(select(CompoundRow))
        with pytest.raises(Refused, match="listens to both"):
            delete_compound(session, row, reason="gone", user_id=None)
        save_compound(session, wired.site, BOTH | {"name": "the two"}, compound_id=row.id, base=1, reason="clearer")
        [link] = links_of_named(session, NamedCause(wired.site, "compound", "the two"))
        assert link.body["compound"] == "the two"
        nested = {"name": "outer", "kind": "any", "parts": [{"compound": "the two"}]}
        outer = save_compound(session, wired.site, nested, compound_id=None)
        circle = BOTH | {"name": "the two", "parts": [{"compound": "outer"}, {"input": "gate"}]}
        with pytest.raises(Refused, match="made of itself"):
            save_compound(session, wired.site, circle, compound_id=row.id, base=2, reason="a circle")
        delete_compound(session, outer, reason="gone", user_id=None)
        session.delete(session.get_one(LinkRow, link.id))
        session.flush()
        delete_compound(session, row, reason="gone", user_id=None)
    with transaction() as session:
        assert list(session.scalars(select(CompoundRow))) == []
