"""Inputs live: a contact and a loop of the stand-in fire links, a bounce does not, a silent module is unknown and no news."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable, Sequence
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import select

from lantern.application.app import make_app
from lantern.cluster import free_port
from lantern.core.effects.switch.effect import Switch
from lantern.core.faults import Refused
from lantern.core.linking.links import LinkRule
from lantern.db.base import transaction
from lantern.devices.modbus import _stretches
from lantern.links.actions import save_link
from lantern.links.tables import LinkRow, NamedCause
from lantern.live.engine import Engine
from lantern.live.tables import EventRow, InputRow, OrderRow
from lantern.register.devices import change_device
from lantern.register.tables import DeviceRow
from lantern.standins.panel import LOOPS
from lantern.standins.relay import FULL_SCALE, RelayStandIn
from live.test_delivery import point_module_at, until
from loops import in_a_loop
from seeded import Small
from web.test_access import log_in

INPUTS: list[dict[str, Any]] = [
    {"name": "gate", "discrete": 2, "debounce_ms": 60},
    {"name": "cabinet", "supervised": {"register_address": 3}, "debounce_ms": 60},
    {"name": "stop button", "discrete": 5, "contact": "normally_closed", "debounce_ms": 60},
    {"name": "not wired"},
]
Body = Callable[[Engine, RelayStandIn], Awaitable[None]]


@pytest.fixture
def wired(small: Small) -> Small:
    """The gate lights the lamp; a fault of the cabinet's loop stops, as does nothing else of it."""
    with transaction() as session:
        row = session.get_one(DeviceRow, small.module)
        change_device(session, row, {"inputs": INPUTS}, place=row.place)
        lamp = LinkRule(name="gate to lamp", input="gate", effects=(Switch(output="lamp", length_s=0.5),))
        stop = LinkRule(
            name="cut to stop", input="cabinet", region="fault", effects=(Switch(output="stop", mode="latched"),)
        )
        for link in (lamp, stop):
            save_link(
                session, NamedCause(small.site, "input", str(link.input)), link.model_dump(mode="json"), link_id=None
            )
    return small


def play(small: Small, body: Body, **relay: Any) -> RelayStandIn:
    async def run() -> RelayStandIn:
        standin = RelayStandIn(free_port(), **relay)
        standin.contacts[5] = True  # the stop button is closed as long as nobody presses it
        point_module_at(small, standin.port)
        await standin.start()
        engine = Engine()
        await engine.start()
        try:
            await body(engine, standin)
        finally:
            await engine.stop()
            await standin.stop()
        return standin

    return in_a_loop(run)


def events() -> list[tuple[str | None, str, str, bool]]:
    with transaction() as session:
        rows = session.scalars(select(EventRow).where(EventRow.input.is_not(None)).order_by(EventRow.id))
        return [(row.input, row.region, row.outcome, row.cleared_at is not None) for row in rows]


def states(engine: Engine, small: Small) -> dict[str, str]:
    return {each["name"]: each["state"] for each in engine.inputs.as_dict(small.module)}


async def settled(engine: Engine, small: Small, name: str, state: str) -> None:
    await until(lambda: states(engine, small).get(name) == state)


def test_an_input_of_the_stand_in_fires_its_link(wired: Small) -> None:
    async def body(engine: Engine, relay: RelayStandIn) -> None:
        await settled(engine, wired, "gate", "idle")
        assert events() == []  # the first look takes note
        relay.contacts[2] = True
        await until(lambda: relay.coils[0])
        assert events() == [("gate", "active", "fired", False)]
        relay.contacts[2] = False
        await settled(engine, wired, "gate", "idle")
        await until(lambda: events() == [("gate", "active", "fired", True)])
        await until(lambda: not relay.coils[0])  # the pulse ends
        told = engine.state(wired.module)["modules"][0]["inputs"]
        assert [(each["name"], each["state"]) for each in told] == [
            ("gate", "idle"), ("cabinet", "idle"), ("stop button", "idle"), ("not wired", "unknown"),
        ]  # fmt: skip

    play(wired, body)


def test_a_loop_that_is_cut_is_a_fault_and_one_that_is_active_is_not(wired: Small) -> None:
    def put(relay: RelayStandIn, what: str) -> None:
        relay.loops[3] = round(LOOPS[what] * FULL_SCALE)

    async def body(engine: Engine, relay: RelayStandIn) -> None:
        await settled(engine, wired, "cabinet", "idle")
        put(relay, "active")
        await settled(engine, wired, "cabinet", "active")
        put(relay, "between")
        await until(lambda: not relay.coils[1])  # normally closed: let go where it acts
        put(relay, "idle")
        await settled(engine, wired, "cabinet", "idle")
        await until(lambda: all(over for *_, over in events()))
        assert events() == [("cabinet", "active", "no link listens", True), ("cabinet", "fault", "fired", True)]

    play(wired, body)
    with transaction() as session:
        fault = session.scalars(select(EventRow).where(EventRow.region == "fault")).one()
        assert fault.why["told"] == "in no window, nearest to active"
        assert fault.reading == pytest.approx(0.6)


def test_a_bounce_fires_nothing(wired: Small) -> None:
    """Of an input that must hold for 2 s, longer than this machine ever sleeps between two bounces."""
    changed(wired, [{"was": each["name"], **each, "debounce_ms": 2000} for each in INPUTS])

    async def body(engine: Engine, relay: RelayStandIn) -> None:
        await settled(engine, wired, "gate", "idle")
        for _ in range(15):
            relay.contacts[2] = not relay.contacts[2]
            await asyncio.sleep(0.02)
        relay.contacts[2] = False
        await asyncio.sleep(2.5)
        assert states(engine, wired)["gate"] == "idle"

    play(wired, body)
    assert events() == []


def test_a_silent_module_is_unknown_and_what_stood_stands(wired: Small) -> None:
    async def body(engine: Engine, relay: RelayStandIn) -> None:
        await settled(engine, wired, "gate", "idle")
        relay.contacts[2] = True
        await until(lambda: len(events()) == 1)
        await relay.stop()
        await settled(engine, wired, "gate", "unknown")
        assert events() == [("gate", "active", "fired", False)]  # nobody knows that it is over
        await relay.start()
        await settled(engine, wired, "gate", "active")
        assert len(events()) == 1  # it is as it was: no news
        await relay.stop()
        await settled(engine, wired, "gate", "unknown")
        relay.contacts[2] = False
        await relay.start()
        await settled(engine, wired, "gate", "idle")
        await until(lambda: events() == [("gate", "active", "fired", True)])

    play(wired, body)


def test_a_restart_raises_nothing_twice_and_what_came_meanwhile_once(wired: Small) -> None:
    async def first(engine: Engine, relay: RelayStandIn) -> None:
        await settled(engine, wired, "gate", "idle")
        await settled(engine, wired, "stop button", "idle")
        relay.contacts[2] = True
        await until(lambda: len(events()) == 1)

    async def again(engine: Engine, relay: RelayStandIn) -> None:
        relay.contacts[5] = False  # the button was pressed while nobody listened
        await settled(engine, wired, "gate", "active")
        await settled(engine, wired, "stop button", "active")
        await until(lambda: len(events()) == 2)  # it counts at once, and is stored a moment later

    play(wired, first)
    contacts = [False] * 8
    contacts[2] = True
    play(wired, again, contacts=contacts)
    assert [(name, region) for name, region, *_ in events()] == [("gate", "active"), ("stop button", "active")]
    with transaction() as session:
        held = {row.input: row.state for row in session.scalars(select(InputRow))}
    assert held == {"gate": "active", "cabinet": "idle", "stop button": "active"}


# ---- links of inputs -------------------------------------------------------------------------------------------------


@pytest.fixture
def client(wired: Small) -> TestClient:
    return log_in(make_app(), "ida", "open sesame")


def test_a_link_of_an_input_is_made_changed_restored_and_deleted_on_its_page(client: TestClient, wired: Small) -> None:
    at = f"/sites/1/input-links/{wired.module}"
    body = {"name": "button to lamp", "input": "stop button", "effects": [{"output": "lamp"}]}
    made = client.post(at, json=body).json()
    assert (made["input"], made["detector"], made["revision"]) == ("stop button", None, 1)
    changed = client.put(f"{at}/{made['id']}?base=1&reason=slower", json=body | {"delay_s": 2}).json()
    assert (changed["delay_s"], changed["revision"]) == (2.0, 2)
    told = client.get(f"{at}?input=stop button", headers={"accept": "text/html"}).text
    assert ("button to lamp" in told, "when this input becomes active" in told) == (True, True)
    changes = client.get(f"{at}/changes?input=stop button").json()
    [old] = [each for each in changes if each["what"] == "link" and each["number"] == 1]
    assert client.post(f"/sites/1/revisions/{old['id']}/restore?base=2").status_code == 200
    assert client.delete(f"{at}/{made['id']}?base=3").status_code == 200
    assert client.get(f"{at}?input=no such").status_code == 404


@pytest.mark.parametrize(
    ("change", "told"),
    [
        ({"region": "spot"}, "of an input: empty, or one of active, fault"),
        ({"lists": ["crew"]}, "an input matches no list"),
        ({"effects": [{"output": "nobody's"}]}, "there is no"),
    ],
)
def test_what_is_wrong_with_a_link_of_an_input(
    client: TestClient, wired: Small, change: dict[str, Any], told: str
) -> None:
    body = {"name": "x", "input": "gate", "effects": []} | change
    answer = client.post(f"/sites/1/input-links/{wired.module}", json=body)
    assert (answer.status_code, told in answer.text) == (422, True), answer.text


def changed(small: Small, inputs: Sequence[dict[str, Any]]) -> None:
    with transaction() as session:
        row = session.get_one(DeviceRow, small.module)
        change_device(session, row, {"inputs": list(inputs)}, place=row.place)


def test_links_follow_an_inputs_new_name_and_one_that_is_used_stays(wired: Small) -> None:
    renamed = [INPUTS[0] | {"was": "gate", "name": "sluice"}, *({"was": each["name"], **each} for each in INPUTS[1:])]
    changed(wired, renamed)
    with transaction() as session:
        link = session.scalars(select(LinkRow).where(LinkRow.name == "gate to lamp")).one()
        assert (link.input, link.body["input"], link.revision) == ("sluice", "sluice", 2)
    with pytest.raises(Refused, match="gate to lamp listens to sluice"):
        changed(wired, [{"was": "cabinet", **INPUTS[1]}])


@pytest.mark.parametrize(
    ("inputs", "told"),
    [
        ([INPUTS[0], INPUTS[0] | {"discrete": 7}], "comes twice"),
        ([INPUTS[0], {"name": "other", "discrete": 2}], "has the contact of gate"),
        ([{"name": "x", "supervised": {"register_address": 0, "r2_ohm": 100}}], "the windows meet"),
    ],
)
def test_what_is_wrong_with_inputs(small: Small, inputs: list[dict[str, Any]], told: str) -> None:
    with pytest.raises(Refused, match=told):
        changed(small, inputs)


def test_near_addresses_are_asked_for_together_and_far_ones_apart() -> None:
    assert _stretches([0, 1, 7], 2000) == [(0, 8)]
    assert _stretches([100, 0, 3], 2000) == [(0, 4), (100, 1)]
    assert _stretches([0, 10, 20, 30], 16) == [(0, 11), (20, 11)]


def test_effects_of_inputs_go_with_their_site(wired: Small) -> None:
    async def body(engine: Engine, relay: RelayStandIn) -> None:
        await settled(engine, wired, "gate", "idle")
        relay.contacts[2] = True
        await until(lambda: len(events()) == 1)

    play(wired, body)
    from lantern.sites.actions import remove_site
    from lantern.sites.tables import SiteRow

    with transaction() as session:
        remove_site(session, session.get_one(SiteRow, wired.site), name="Test site")
    with transaction() as session:
        assert [session.query(table).count() for table in (EventRow, OrderRow, InputRow, LinkRow)] == [0, 0, 0, 0]
