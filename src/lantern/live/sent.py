"""Orders that are sent to somebody (mail, posts), and those that are shown: what is due, what became of it."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.linking import outcomes
from lantern.core.linking.orders import COINCIDE_S
from lantern.db.base import transaction
from lantern.live.tables import EventRow, OrderRow, of_site

SENT, SHOWN = ("mail", "post"), "show"
FIRST_RETRY_S, LONGEST_RETRY_S = 1.0, 30.0
FORGOTTEN_S = 86_400.0  # what nobody has acknowledged for so long is shown no more
GROUPED = ("mail",)
MANY, MOST_IN_ONE = 5, 200  # so many that are due to one address go as one


@dataclass(frozen=True)
class Along:
    """An order that goes with the first to its address, because many are due."""

    id: int
    body: dict[str, Any]
    names: dict[str, str]


@dataclass(frozen=True)
class Due:
    """An order that is to be sent now. `key` names it: sent again, it has the same; `attempts`: how often it was sent in vain; `along`:
    what goes with it.
    """

    id: int
    do: str
    thing: str
    body: dict[str, Any]
    names: dict[str, str]
    attempts: int
    key: str
    along: tuple[Along, ...] = ()

    @property
    def ids(self) -> list[int]:
        return [self.id, *(each.id for each in self.along)]


def look(at: datetime) -> tuple[list[Due], float]:
    """Let it be `at`: what waited too long expires, what is to be shown is. Returns what is to be sent, the first to each address so that
    their order is kept, and in how many seconds something is due again.
    """
    due: list[Due] = []
    behind: dict[tuple[str, str], list[Along]] = {}
    next_s = math.inf
    with transaction() as session:
        is_open = select(OrderRow).where(OrderRow.do.in_((*SENT, SHOWN)), OrderRow.stage != "over")
        for row in session.scalars(is_open.order_by(OrderRow.at, OrderRow.id)):
            late_s = (at - row.at).total_seconds()
            if late_s < -COINCIDE_S:
                next_s = min(next_s, -late_s)
            elif row.do == SHOWN:
                _shown(row, late_s)
            elif late_s > row.expire_s:
                _over(row, "expired", f"It could not be delivered within {row.expire_s:g} s. {row.because}".strip())
            elif (row.do, row.thing) in behind:
                behind[row.do, row.thing].append(Along(row.id, row.body, row.names))
            else:
                behind[row.do, row.thing] = []
                wait_s = 0.0 if row.next_try_at is None else (row.next_try_at - at).total_seconds()
                if wait_s > 0:
                    next_s = min(next_s, wait_s)
                else:
                    key = f"{row.event_id}-{row.id}"
                    due.append(Due(row.id, row.do, row.thing, row.body, row.names, row.attempts, key))
    return [_grouped(each, behind[each.do, each.thing]) for each in due], next_s


def _grouped(first: Due, behind: list[Along]) -> Due:
    many = first.do in GROUPED and len(behind) + 1 >= MANY
    return replace(first, along=tuple(behind[: MOST_IN_ONE - 1])) if many else first


def _shown(row: OrderRow, late_s: float) -> None:
    if row.stage == "ordered":
        row.stage, row.from_at = "running", row.at
    elif late_s > FORGOTTEN_S:
        _over(row, "done", "Nobody acknowledged it.")


def _over(row: OrderRow, result: str, because: str, at: datetime | None = None) -> None:
    row.stage, row.result, row.because = "over", result, because
    if at is not None:
        row.from_at, row.to_at = row.from_at or at, at


def delivered(due: Due, at: datetime, answer: str) -> None:
    """It arrived, with all that went along; what was answered is kept."""
    with transaction() as session:
        for order_id in due.ids:
            row = session.get_one(OrderRow, order_id, with_for_update=True)
            again = f" Sent {row.attempts + 1} times: it may have come before." if row.attempts else ""
            others = f" It went with {len(due.along)} others, as one." if due.along else ""
            _over(row, "done", f"{answer}{again}{others}", at)


def failed(order_id: int, at: datetime, error: str) -> None:
    """It did not arrive, as far as is known: later again, each time twice as late."""
    with transaction() as session:
        row = session.get_one(OrderRow, order_id, with_for_update=True)
        wait_s = min(FIRST_RETRY_S * 2**row.attempts, LONGEST_RETRY_S)
        row.stage, row.because, row.attempts = "waiting", error, row.attempts + 1
        row.next_try_at = at + timedelta(seconds=wait_s)


def refused(order_id: int, at: datetime, why: str) -> None:
    """It can never arrive as it is."""
    with transaction() as session:
        row = session.get_one(OrderRow, order_id, with_for_update=True)
        _over(row, "dropped", why)


# ---- shown -----------------------------------------------------------------------------------------------------------


def to_show(session: Session, site_id: int, roles: list[str]) -> list[OrderRow]:
    """Return what is shown to somebody of these roles on a site and not acknowledged yet, the newest first."""
    shown = select(OrderRow).join(EventRow, EventRow.id == OrderRow.event_id)
    mine = shown.where(OrderRow.do == SHOWN, OrderRow.stage == "running", of_site(site_id))
    rows = session.scalars(mine.order_by(OrderRow.id.desc()).limit(50))
    return [row for row in rows if set(row.thing.split(",")) & set(roles)]


def acknowledge_shown(session: Session, site_id: int, order_id: int, *, by: str, at: datetime) -> bool:
    """Somebody has seen it: it is shown to nobody any more. Returns whether it was still shown."""
    query = select(OrderRow).join(EventRow, EventRow.id == OrderRow.event_id).with_for_update(of=OrderRow)
    row = session.scalar(query.where(OrderRow.id == order_id, OrderRow.do == SHOWN, of_site(site_id)))
    if row is None or row.stage != "running":
        return False
    _over(row, "done", f"{outcomes.ACKNOWLEDGED.removesuffix('.')} by {by}.", at)
    return True
