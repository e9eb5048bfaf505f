"""The outbox in the store: effects that are ordered, due, delivered, put off, expired or dropped; what each output is; who holds it.

Everything is asked for by device and output, of rows that still wait or hold and of one kept state an output: never of history.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from sqlalchemy import select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from lantern.core.linking.timeline import Firing
from lantern.db.base import transaction
from lantern.live.tables import EffectRow, OutputRow

NEVER_EXPIRES = timedelta(days=3650)  # letting go of an output is delivered however late
IDLE_S = 0.2
FIRST_RETRY_S = 0.25
LONGEST_RETRY_S = 4.0
LATE_S = 0.5


@dataclass(frozen=True)
class Due:
    """A switching that is to be delivered now."""

    id: int
    output: str
    active: bool
    attempts: int


# ---- ordering --------------------------------------------------------------------------------------------------------


def order(session: Session, event_id: int, device_id: int, firing: Firing, at: datetime) -> None:
    """An on and, unless latched, an off. A pulse on an output that is active extends it and never cuts it short."""
    on_at = at + timedelta(seconds=firing.on_s)
    expires = on_at + timedelta(seconds=firing.effect.expire_s)
    held = bool(latched(session, device_id, firing.output))
    on = _effect(event_id, device_id, firing.output, active=True, due=on_at, expires=expires)
    on.holds = firing.off_s is None
    session.add(on)
    offs = _waiting(device_id).where(EffectRow.output == firing.output, EffectRow.active.is_(False))
    pending = session.scalars(offs.where(EffectRow.due_at >= on_at).with_for_update()).all()
    if firing.off_s is None:
        for row in pending:
            row.state, row.note = "dropped", f"latched by event {event_id}"
        return
    off_at = at + timedelta(seconds=firing.off_s)
    off = _effect(event_id, device_id, firing.output, active=False, due=off_at, expires=off_at + NEVER_EXPIRES)
    if held:
        off.state, off.note = "dropped", "the output is latched by another event"
    for row in pending:
        if off.state == "waiting" and row.due_at > off_at:
            off.state, off.note = "dropped", f"event {row.event_id} lasts longer"
        elif off.state == "waiting":
            row.state, row.note = "dropped", f"extended by event {event_id}"
    session.add(off)


def latched(session: Session, device_id: int, output: str) -> Sequence[EffectRow]:
    """Ons of an output that latch and are not acknowledged."""
    query = select(EffectRow).where(EffectRow.device_id == device_id, EffectRow.output == output, EffectRow.holds)
    return session.scalars(query).all()


def acknowledge(session: Session, device_id: int, output: str) -> int:
    """Let go of a latched output; returns how many standing causes it had."""
    rows = latched(session, device_id, output)
    at = datetime.now(UTC)
    for row in rows:
        row.holds = False
        off = _effect(row.event_id, device_id, output, active=False, due=at, expires=at + NEVER_EXPIRES)
        session.add(off)
    return len(rows)


def _effect(event_id: int, device_id: int, output: str, *, active: bool, due: datetime, expires: datetime) -> EffectRow:
    return EffectRow(
        event_id=event_id,
        device_id=device_id,
        output=output,
        active=active,
        due_at=due,
        expires_at=expires,
        state="waiting",
        next_try_at=due,
    )


# ---- delivering ------------------------------------------------------------------------------------------------------


def due_effects(device_id: int) -> tuple[list[Due], float]:
    """What is to be written now, and how long until the next is due. What is too late expires here.

    Effects of one output stay in their order: one waits for the one before it, however long that is retried. Of several
    outputs those that are to be let go come first: after a restart nothing stays on for longer than it must.
    """
    at = datetime.now(UTC)
    with transaction() as session:
        _expire(session, device_id, at)
        by_output: dict[str, list[Due]] = {}
        held_back: set[str] = set()
        ordered = _waiting(device_id).where(EffectRow.due_at <= at).order_by(EffectRow.due_at, EffectRow.id)
        for row in session.scalars(ordered):
            if row.next_try_at > at:
                held_back.add(row.output)
            elif row.output not in held_back:
                by_output.setdefault(row.output, []).append(Due(row.id, row.output, row.active, row.attempts))
        later = _waiting(device_id).where(EffectRow.due_at > at).order_by(EffectRow.due_at).limit(1)
        soonest = session.scalar(later.with_only_columns(EffectRow.due_at))
    due = [each for some in sorted(by_output.values(), key=lambda some: some[-1].active) for each in some]
    return due, IDLE_S if soonest is None else max((soonest - at).total_seconds(), 0.0)


def _expire(session: Session, device_id: int, at: datetime) -> None:
    for row in session.scalars(_waiting(device_id).where(EffectRow.expires_at < at)):
        row.state, row.note, row.holds = "expired", "not delivered in time", False
        offs = _waiting(device_id).where(EffectRow.event_id == row.event_id, EffectRow.output == row.output)
        for off in session.scalars(offs.where(EffectRow.active.is_(False))):
            off.state, off.note = "dropped", "its switching on expired"
    session.flush()


def _waiting(device_id: int):  # type: ignore[no-untyped-def] # a select, whose type says no more
    return select(EffectRow).where(EffectRow.device_id == device_id, EffectRow.state == "waiting")


def delivered(effect_id: int, note: str = "") -> bool:
    """Mark it and keep what its output now is; a pulse that began late keeps its length. Returns whether others were put off by that."""
    at = datetime.now(UTC)
    with transaction() as session:
        row = session.get_one(EffectRow, effect_id)
        row.state, row.delivered_at, row.attempts, row.note = "delivered", at, row.attempts + 1, note
        _keep(session, row, at)
        late = at - row.due_at
        began_late = row.active and late > timedelta(seconds=LATE_S)
        if began_late:
            session.execute(
                update(EffectRow)
                .where(
                    EffectRow.event_id == row.event_id,
                    EffectRow.device_id == row.device_id,
                    EffectRow.output == row.output,
                    EffectRow.active.is_(False),
                    EffectRow.state == "waiting",
                )
                .values(due_at=EffectRow.due_at + late, next_try_at=EffectRow.due_at + late)
            )
        return began_late


def _keep(session: Session, row: EffectRow, at: datetime) -> None:
    values = {"active": row.active, "effect_id": row.id, "at": at}
    made = insert(OutputRow).values(device_id=row.device_id, output=row.output, **values)
    session.execute(made.on_conflict_do_update(index_elements=["device_id", "output"], set_=values))


def postpone(effect_id: int, attempts: int, note: str) -> None:
    wait_s = min(FIRST_RETRY_S * 2**attempts, LONGEST_RETRY_S)
    with transaction() as session:
        row = session.get_one(EffectRow, effect_id)
        row.attempts, row.note = attempts + 1, note
        row.next_try_at = datetime.now(UTC) + timedelta(seconds=wait_s)


def drop(effect_id: int, note: str) -> None:
    with transaction() as session:
        row = session.get_one(EffectRow, effect_id)
        row.state, row.note, row.holds = "dropped", note, False


def retry_now(device_id: int) -> None:
    """A module that came back need not wait out its back-off."""
    with transaction() as session:
        session.execute(
            update(EffectRow)
            .where(EffectRow.device_id == device_id, EffectRow.state == "waiting")
            .values(next_try_at=EffectRow.due_at)
        )


def active_outputs(device_id: int) -> set[str]:
    """Outputs whose last delivered effect switched them on."""
    with transaction() as session:
        query = select(OutputRow.output).where(OutputRow.device_id == device_id, OutputRow.active)
        return set(session.scalars(query))


def in_flight(device_id: int, output: str) -> bool:
    """Is an effect of this output due and not yet delivered? Then its own delivery settles the coil."""
    with transaction() as session:
        query = _waiting(device_id).where(EffectRow.output == output, EffectRow.due_at <= datetime.now(UTC))
        return session.scalar(query.with_only_columns(EffectRow.id).limit(1)) is not None


# ---- ending ----------------------------------------------------------------------------------------------------------


def pulses_that_are_on(device_id: int) -> list[Due]:
    """The offs that outputs which are on now wait for, one an output: the one that ends its pulse."""
    with transaction() as session:
        on = select(OutputRow.output).where(OutputRow.device_id == device_id, OutputRow.active)
        rows = session.scalars(
            _waiting(device_id)
            .where(EffectRow.active.is_(False), EffectRow.output.in_(on))
            .order_by(EffectRow.output, EffectRow.due_at)
        ).all()
        return list({row.output: Due(row.id, row.output, False, row.attempts) for row in rows}.values())


def latched_outputs(device_id: int) -> list[str]:
    """Outputs that are on until somebody acknowledges them."""
    with transaction() as session:
        query = select(OutputRow.output).where(OutputRow.device_id == device_id, OutputRow.active)
        holding = select(EffectRow.output).where(EffectRow.device_id == device_id, EffectRow.holds)
        return sorted(session.scalars(query.where(OutputRow.output.in_(holding))))
