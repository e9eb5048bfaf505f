"""Random plans through the store, on a clock that the test has: what the outbox does is what was rehearsed.

The same plans as in the core's test; here events are recorded, orders are rows, a restart begins with nothing but the store,
and a module that is away is found by asking it. Hours pass in seconds.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from functools import partial
from typing import Any

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import delete, select

from lantern.core.decide import Change, State
from lantern.core.linking.outcomes import OF_EVENT
from lantern.core.linking.timeline import Circumstances
from lantern.core.reasons import Reason
from lantern.core.rehearsal import Rehearsal, rehearse
from lantern.core.watch import Turn
from lantern.db.base import transaction
from lantern.devices.modbus import DeviceUnreachableError
from lantern.live import outbox
from lantern.live.delivery import Delivery, Module
from lantern.live.recorder import Happening, record
from lantern.live.tables import EventRow, OrderRow, OutputRow
from lantern.register.tables import DeviceRow
from loops import in_a_loop
from plans import OUTPUTS, SIZE, START, Plan, plan_of
from seeded import Small

PLANS = 60  # each through the store; the core holds thousands of the same plans against each other
Switched = list[tuple[float, str, bool]]


@dataclass
class Relay:
    """Two coils in memory, which do not answer while the plan says so."""

    plan: Plan
    switched: Switched = field(default_factory=list)
    coils: list[bool] = field(default_factory=lambda: [False, True])  # the second is normally closed
    t: float = 0.0
    asked: int = 0  # how often it was to switch

    def _answers(self) -> None:
        if self.plan.during.is_away("lamp", self.t):
            raise DeviceUnreachableError("away")

    async def write_coil(self, address: int, on: bool) -> bool:
        self.asked += 1
        self._answers()
        if self.coils[address] != on:
            self.switched.append((self.t, OUTPUTS[address], on if address == 0 else not on))
        self.coils[address] = on
        return on

    async def read_coils(self, first: int, count: int) -> list[bool]:
        self._answers()
        return self.coils[first : first + count]


def as_a_module(plan: Plan) -> Plan:
    """Outputs of one module are away together."""
    away = plan.during.away.get("lamp", ())
    return replace(plan, during=Circumstances(plan.during.acknowledged, dict.fromkeys(OUTPUTS, away)))


async def live(small: Small, plan: Plan) -> Switched:
    relay = Relay(plan)

    def clock() -> datetime:
        return START + timedelta(seconds=relay.t)

    def started() -> tuple[Delivery, Module]:
        delivery = Delivery(lambda: None, clock)
        with transaction() as session:
            row = session.get_one(DeviceRow, small.module)
            outputs = {output.name: output for output in row.output_models}
        return delivery, Module(small.module, small.site, "M1", relay, outputs, None)  # type: ignore[arg-type] # a stand-in

    delivery, module = started()
    happens = {event.raised_s for event in plan.events} | set(plan.restarts_s)
    happens |= {t for output in OUTPUTS for t in plan.during.instants(output)}
    due_s: float | None = None
    while instants := [t for t in (due_s, *happens) if (t is not None and t > relay.t) or (t == 0.0 and due_s is None)]:
        relay.t = min(instants)
        for event in plan.events:
            if event.raised_s == relay.t:
                change = Change("repeat" if event.repeat else "raise", 1.0)
                turn = Turn("r", (change,), State(raised=True), 60.0, {})
                record(Happening(small.site, small.detector, 1, clock(), turn), plan.links)
        if relay.t in plan.restarts_s:
            delivery, module = started()
        for t, output in plan.during.acknowledged:
            if t == relay.t:
                with transaction() as session:
                    outbox.acknowledge(session, small.module, output, clock())
        back = any(until == relay.t for _, until in plan.during.away["lamp"])
        module.probed = None if back else clock()
        asked = relay.asked
        wait_s = await delivery.serve_once(module)
        if back:  # the look at its coils has found it: what waited is tried now
            wait_s = await delivery.serve_once(module)
        while wait_s == 0.0 and relay.asked > asked:  # it was switched, and is looked at again at once
            asked = relay.asked
            wait_s = await delivery.serve_once(module)
        due_s = relay.t + wait_s if wait_s < 300 else -1.0
    return relay.switched


def rehearsed(plan: Plan) -> Rehearsal:
    return rehearse(
        plan.events, lambda mark: Reason("", "", {}), [], plan.links, start=START, length_s=60.0, during=plan.during
    )


def as_switched(done: Rehearsal) -> Switched:
    out: Switched = []
    for active in done.effects:
        out.append((active.on_s, active.output, True))
        if active.off_s is not None:
            out.append((active.off_s, active.output, False))
    return out


def kept() -> tuple[list[tuple[str, Any, Any, Any]], list[str]]:
    """Each order as it stands in the store, and each event's outcome."""
    with transaction() as session:
        rows = session.scalars(select(OrderRow).order_by(OrderRow.event_id, OrderRow.id)).all()
        orders = [(row.thing, row.result, _seconds(row.from_at), _seconds(row.to_at)) for row in rows]
        outcomes = list(session.scalars(select(EventRow.outcome).order_by(EventRow.id)))
    return orders, outcomes


def forget() -> None:
    with transaction() as session:
        for table in (OrderRow, OutputRow, EventRow):
            session.execute(delete(table))


def _seconds(at: datetime | None) -> float | None:
    return None if at is None else (at - START).total_seconds()


@settings(max_examples=PLANS, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.binary(min_size=SIZE, max_size=SIZE))
def test_what_the_outbox_does_is_what_was_rehearsed(small: Small, data: bytes) -> None:
    forget()
    plan = as_a_module(plan_of(data))
    done = rehearsed(plan)
    assert sorted(in_a_loop(partial(live, small, plan))) == sorted(as_switched(done))
    orders, outcomes = kept()
    standings = [ordered.standing for ordered in done.orders]
    assert orders == [(s.order.thing, s.result, s.from_s, s.to_s) for s in standings]
    assert outcomes == [OF_EVENT[outcome.code] for outcome in done.outcomes]
