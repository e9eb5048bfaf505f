"""The outbox in the store: the core's switches, kept as rows, stepped by whoever has the clock.

Nothing is decided here: open orders become the core's `Switch`, which is advanced, acknowledged or confirmed, and kept again.
So a restart goes on where the last one stood. Only open orders and one row an output are looked at, never history.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import func, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from lantern.core.linking import outcomes
from lantern.core.linking.arming import Firing
from lantern.core.linking.orders import Order, Standing
from lantern.core.linking.switch import Switch
from lantern.db.base import transaction
from lantern.db.changes import tell_of_change
from lantern.live.tables import OrderRow, OutputRow

FIRST_RETRY_S = 0.25
LONGEST_RETRY_S = 1.0  # a module that is well again is served within two seconds
Names = Mapping[str, str]
SWITCH = "switch"
LOCK = 0x0D0B  # of the outbox, among the database's advisory locks


def place(
    session: Session,
    event_id: int,
    device_id: int | None,
    firing: Firing,
    raised_at: datetime,
    names: Names,
    asleep: str = "",
) -> None:
    """Store what a link orders of a thing. `names`: what a text may say of the event; `asleep`: why it is over before it begins."""
    order = firing.order(0, 0.0)
    session.add(
        OrderRow(
            event_id=event_id,
            link=firing.link,
            device_id=device_id,
            do=firing.effect.do,
            body=firing.effect.model_dump(mode="json"),
            names=dict(names),
            thing=order.thing,
            at=raised_at + timedelta(seconds=order.at_s),
            length_s=order.length_s,
            priority=order.priority,
            expire_s=order.expire_s,
            stage="over" if asleep else "ordered",
            result="asleep" if asleep else None,
            because=asleep,
        )
    )


# ---- the switches of a module, as the store holds them -------------------------------------------------------------------


class Switches:
    """The switches of one module at an instant, which is second 0 to them. One transaction at a time has them."""

    def __init__(self, session: Session, device_id: int, at: datetime) -> None:
        self._session, self._device_id, self._at = session, device_id, at
        session.execute(select(func.pg_advisory_xact_lock(LOCK, device_id)))
        of_module = select(OutputRow).where(OutputRow.device_id == device_id)
        self.outputs = {row.output: row for row in session.scalars(of_module)}
        is_open = select(OrderRow).where(
            OrderRow.device_id == device_id, OrderRow.do == SWITCH, OrderRow.stage != "over"
        )
        self._rows = [(row, self._standing(row)) for row in session.scalars(is_open.order_by(OrderRow.id))]
        by_thing: dict[str, list[Standing]] = {name: [] for name in self.outputs}
        for row, standing in self._rows:
            by_thing.setdefault(row.thing, []).append(standing)
        self.of = {name: Switch(held, on=self._is_on(name)) for name, held in by_thing.items()}
        for switch in self.of.values():
            switch.advance(0.0)

    def _is_on(self, output: str) -> bool:
        row = self.outputs.get(output)
        return row is not None and row.active

    def _seconds(self, at: datetime | None) -> float | None:
        return None if at is None else (at - self._at).total_seconds()

    def _standing(self, row: OrderRow) -> Standing:
        at_s = (row.at - self._at).total_seconds()
        order = Order(row.id, row.thing, at_s, row.length_s, row.priority, row.expire_s)
        from_s, to_s = self._seconds(row.from_at), self._seconds(row.to_at)
        return Standing(order, row.stage, from_s, to_s, row.result, row.because)  # type: ignore[arg-type] # as it was kept

    def keep(self) -> None:
        """Write what has changed."""
        for row, standing in self._rows:
            if (row.stage, row.result) != (standing.stage, standing.result):
                row.stage, row.result, row.because = standing.stage, standing.result, standing.because
                row.from_at, row.to_at = self._instant(standing.from_s), self._instant(standing.to_s)

    def _instant(self, seconds: float | None) -> datetime | None:
        return None if seconds is None else self._at + timedelta(seconds=seconds)

    def is_now(self, output: str, active: bool) -> None:
        """Keep what an output said that it is."""
        values = {"active": active, "at": self._at, "attempts": 0, "next_try_at": None, "error": ""}
        _keep_output(self._session, self._device_id, output, values)


def _keep_output(session: Session, device_id: int, output: str, values: dict[str, object]) -> None:
    made = insert(OutputRow).values({"active": False, "device_id": device_id, "output": output} | values)
    session.execute(made.on_conflict_do_update(index_elements=["device_id", "output"], set_=values))


def acknowledge(session: Session, device_id: int, output: str, at: datetime) -> int:
    """Let go of a latched output; returns how many standing causes it had."""
    switches = Switches(session, device_id, at)
    switch = switches.of.get(output)
    held = 0 if switch is None else switch.acknowledge(0.0)
    switches.keep()
    tell_of_change(session, "output")  # the engine, which would not look before something is due
    return held


# ---- delivering ----------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Due:
    """An output that is to be written now, and what it is to be."""

    output: str
    active: bool


@dataclass(frozen=True)
class Round:
    """What is to be done for a module now; `wait_s`: how long until something is due again (inf: nothing is ordered).

    `active`: outputs that were on when they were last asked; `unsettled`: those that are to be written, now or a little later.
    """

    due: tuple[Due, ...]
    wait_s: float
    active: frozenset[str]
    unsettled: frozenset[str]


def look(device_id: int, at: datetime) -> Round:
    """Let it be `at`: pulses end, orders fall due or expire. Returns what is to be written.

    Outputs that are to be let go come first: after a restart nothing stays on for longer than it must.
    """
    with transaction() as session:
        switches = Switches(session, device_id, at)
        switches.keep()
        due, waits, unsettled = [], [], set()
        for name, switch in switches.of.items():
            if switch.next_s is not None:
                waits.append(switch.next_s)
            row, wanted = switches.outputs.get(name), switch.wanted
            if wanted is None:
                continue
            unsettled.add(name)
            held_back = None if row is None else row.next_try_at
            if held_back is not None and held_back > at:
                waits.append((held_back - at).total_seconds())
            else:
                due.append(Due(name, wanted))
        active = frozenset(name for name, row in switches.outputs.items() if row.active)
    wait_s = max(min(waits, default=math.inf), 0.0)
    return Round(tuple(sorted(due, key=lambda each: each.active)), wait_s, active, frozenset(unsettled))


def confirm(device_id: int, output: str, active: bool, at: datetime) -> None:
    """The module said that the output is so now: what was due has begun, and what ended is over."""

    def confirmed(switch: Switch) -> None:
        switch.confirm(0.0, active)

    _change(device_id, output, at, confirmed, is_now=active)


def end_pulses(device_id: int, output: str, at: datetime) -> None:
    """The module said that the output is off, for the program stops."""

    def ended(switch: Switch) -> None:
        switch.cut(0.0, outcomes.STOPPED)

    _change(device_id, output, at, ended, is_now=False)


def _change(device_id: int, output: str, at: datetime, change: Callable[[Switch], None], *, is_now: bool) -> None:
    with transaction() as session:
        switches = Switches(session, device_id, at)
        if output in switches.of:
            change(switches.of[output])
        switches.is_now(output, is_now)
        switches.keep()


def postpone(device_id: int, output: str, at: datetime, error: str) -> None:
    """It was not written: try again later, each time twice as late."""
    with transaction() as session:
        row = session.get(OutputRow, (device_id, output))
        attempts = 0 if row is None else row.attempts
        again = at + timedelta(seconds=min(FIRST_RETRY_S * 2**attempts, LONGEST_RETRY_S))
        values = {"at": at if row is None else row.at, "attempts": attempts + 1, "next_try_at": again, "error": error}
        _keep_output(session, device_id, output, values)


def retry_now(device_id: int) -> None:
    """A module that came back need not wait out its back-off."""
    with transaction() as session:
        session.execute(update(OutputRow).where(OutputRow.device_id == device_id).values(next_try_at=None))


def drop(device_id: int, output: str) -> None:
    """The module has no such output any more: nothing that was ordered of it will be done."""
    with transaction() as session:
        is_open = update(OrderRow).where(
            OrderRow.device_id == device_id, OrderRow.do == SWITCH, OrderRow.thing == output, OrderRow.stage != "over"
        )
        session.execute(is_open.values(stage="over", result="dropped", because=outcomes.NO_OUTPUT))
        gone = session.get(OutputRow, (device_id, output))
        if gone is not None:
            session.delete(gone)


# ---- ending --------------------------------------------------------------------------------------------------------------


def outputs_on(device_id: int, at: datetime) -> tuple[list[str], list[str]]:
    """Outputs that are on: those that only pulses hold, and those that are latched."""
    with transaction() as session:
        switches = Switches(session, device_id, at)
        on = sorted(name for name, switch in switches.of.items() if switch.on)
        latched = [name for name in on if switches.of[name].latched]
        return [name for name in on if name not in latched], latched
