"""A module that answers slowly or wrongly, as the stand-in plays it: what is said of it, that a slow one is waited for, and that one that
is well again is served at once. How fast that is, `bench` measures."""

from __future__ import annotations

import asyncio

import pytest

from lantern.cluster import free_port
from lantern.devices.modbus import RelayModule
from lantern.devices.pace import LIMIT_S, LONGEST_S, Pace
from lantern.live.delivery import Module
from lantern.live.engine import Engine
from lantern.live.recorder import record
from lantern.standins.faults import FAULTS
from lantern.standins.relay import RelayStandIn
from live.test_delivery import happening, links, orders, until, with_engine
from loops import in_a_loop
from seeded import Small

SAID = {
    "late": "slow: its answers take 1.4 s",
    "later": "slow: its answers take 3.",
    "silent": "no answer within",
    "resets": "127.0.0.1:",
    "garbage": "127.0.0.1:",
    "exceptions": "the module answered with exception 4, failure of the device",
    "short": "answered 0 of",
    "flips": "did not stay on as it was written",
    "stuck": "coil 0 was written on, and read back off",
    "strange": "no answer within",
    "half": "no answer within",
    "huge": "127.0.0.1:",
}


def said_of(module: Module) -> str:
    told = module.as_dict()
    return f"{told['error']}; {told['slow']}"


@pytest.mark.parametrize("fault", FAULTS)
def test_each_way_of_failing_has_its_words_and_is_over_when_it_is_over(small: Small, fault: str) -> None:
    async def body(engine: Engine, relay: RelayStandIn) -> None:
        [module] = engine.delivery.modules.values()
        await until(lambda: module.reachable)
        relay.play(fault)
        record(happening(small), links(small))
        engine.delivery.wake()
        await until(lambda: SAID[fault] in said_of(module))
        assert "effects cannot be looked up" not in said_of(module)
        if fault in ("late", "later", "flips"):  # these do what they are told, late or for a moment
            await until(lambda: any(on for _, coil, on in relay.switched if coil == 0))
        relay.play("")
        switched = len(relay.switched)
        record(happening(small), links(small))
        engine.delivery.wake()
        await until(lambda: relay.coils[0] and (len(relay.switched) > switched or module.coils.get("lamp", False)))
        await until(lambda: module.reachable and not module.as_dict()["error"])

    with_engine(small, body)


def test_what_is_said_of_a_coil_is_over_once_it_stayed_for_a_while(small: Small) -> None:
    async def body(engine: Engine, relay: RelayStandIn) -> None:
        [module] = engine.delivery.modules.values()
        relay.play("stuck")
        record(happening(small), links(small))
        engine.delivery.wake()
        await until(lambda: "lamp" in module.errors)
        assert orders()[0][1] != "running"
        relay.play("")
        await until(lambda: relay.coils[0])
        await until(lambda: not module.errors)

    with_engine(small, body)


def test_a_slow_device_is_waited_for_and_a_lost_one_not_for_ever() -> None:
    pace = Pace()
    for _ in range(4):
        pace.lost()
    assert pace.limit_s == LONGEST_S
    pace.took(3.0)
    assert (pace.limit_s, "answers take 3.0 s" in pace.slow) == (6.0, True)
    for _ in range(20):
        pace.took(0.01)
    assert (pace.limit_s, pace.slow) == (LIMIT_S, "")


def test_an_answer_that_comes_while_another_connection_is_asked_is_taken(monkeypatch: pytest.MonkeyPatch) -> None:
    async def slowly(module: RelayModule) -> bool:
        await asyncio.sleep(1.0)  # as in a process that stood still: the answer of after 1.4 s is there by now
        return True

    async def run() -> None:
        relay = RelayStandIn(free_port())
        await relay.start()
        module = RelayModule("127.0.0.1", relay.port)
        module.pace.limit_s = 60.0
        relay.fault = "late"
        assert await module.read_coils(0, 1) == [False]
        await module.close()
        await relay.stop()

    monkeypatch.setattr(RelayModule, "_is_quick", slowly)
    in_a_loop(run)


def test_a_request_that_was_lost_is_not_waited_for_where_others_are_answered() -> None:
    async def run() -> None:
        relay = RelayStandIn(free_port())
        await relay.start()
        module = RelayModule("127.0.0.1", relay.port)
        module.pace.limit_s = 60.0
        relay.fault = "silent"
        asked = asyncio.create_task(module.read_coils(0, 1))
        await asyncio.sleep(0.2)
        relay.fault = ""  # it is well again, and has no memory of what it was asked
        with pytest.raises(Exception, match="it lost the request"):
            await asyncio.wait_for(asked, 30)
        assert await module.read_coils(0, 1) == [False]
        await module.close()
        await relay.stop()

    in_a_loop(run)
