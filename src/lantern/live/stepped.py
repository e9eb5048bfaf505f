"""Orders in the store of a thing that does one thing at a time, stepped by the core's machine."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session

from lantern.core.linking.one_at_a_time import OneAtATime
from lantern.core.linking.orders import Order, Standing
from lantern.db.base import transaction
from lantern.live.tables import OrderRow


def _open(do: Sequence[str]) -> Select[OrderRow]:
    return select(OrderRow).where(OrderRow.do.in_(do), OrderRow.stage != "over")


def ordered(do: Sequence[str]) -> set[int]:
    """Return the devices of which something is ordered that is not over."""
    with transaction() as session:
        found = session.scalars(_open(do).with_only_columns(OrderRow.device_id).distinct())
        return {device_id for device_id in found if device_id is not None}


@dataclass
class Open:
    """The open orders of one device at an instant, which is second 0 to them."""

    rows: dict[int, OrderRow]
    standings: dict[int, Standing]
    at: datetime
    next_s: float = math.inf  # in so many seconds something is due again, once it was advanced

    def advance(self) -> OrderRow | None:
        """Let it be now; returns the order that runs."""
        machine = OneAtATime(each for each in self.standings.values() if each.stage != "over")
        machine.advance(0.0)
        self.next_s = math.inf if machine.next_s is None else machine.next_s
        return None if machine.running is None else self.rows[machine.running.order.key]

    def refuse(self, why: Callable[[OrderRow], str]) -> None:
        """Those of which `why` says something cannot be done at all."""
        for key, standing in self.standings.items():
            if standing.stage == "ordered" and (because := why(self.rows[key])):
                standing.end("dropped", because)

    def keep(self) -> None:
        """Write what has changed."""
        for key, row in self.rows.items():
            standing = self.standings[key]
            if (row.stage, row.result) != (standing.stage, standing.result):
                row.stage, row.result, row.because = standing.stage, standing.result, standing.because
                row.from_at, row.to_at = self._instant(standing.from_s), self._instant(standing.to_s)

    def _instant(self, seconds: float | None) -> datetime | None:
        return None if seconds is None else self.at + timedelta(seconds=seconds)


@contextmanager
def opened(device_id: int, do: Sequence[str], lock: int, at: datetime) -> Iterator[Open]:
    """Give the open orders of a device; what became of them is kept at the end. One transaction at a time has them: by `lock`."""
    with transaction() as session:
        session.execute(select(func.pg_advisory_xact_lock(lock, device_id)))
        found = _of_device(session, device_id, do)
        held = Open({row.id: row for row in found}, {row.id: _standing(row, at) for row in found}, at)
        yield held
        held.keep()


def _of_device(session: Session, device_id: int, do: Sequence[str]) -> list[OrderRow]:
    return list(session.scalars(_open(do).where(OrderRow.device_id == device_id).order_by(OrderRow.id)))


def _standing(row: OrderRow, at: datetime) -> Standing:
    def seconds(instant: datetime | None) -> float | None:
        return None if instant is None else (instant - at).total_seconds()

    at_s, busy = (row.at - at).total_seconds(), row.body.get("when_busy", "drop")
    order = Order(row.id, row.thing, at_s, row.length_s, row.priority, row.expire_s, busy)
    return Standing(order, row.stage, seconds(row.from_at), seconds(row.to_at), row.result, row.because)  # type: ignore[arg-type] # as it was kept
