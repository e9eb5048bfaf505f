"""What the engine writes: an event with its effects and the decision's memory, in one transaction."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from lantern.core.decide import Change
from lantern.core.linking.timeline import Firing, firings
from lantern.core.objects.occupancy import REGION
from lantern.core.rehearsal import Armed
from lantern.db.base import transaction
from lantern.live.tables import DecisionRow, EffectRow, EventRow
from lantern.survey.tables import outputs_of

NEVER_EXPIRES = timedelta(days=3650)  # letting go of an output is delivered however late


@dataclass(frozen=True)
class Happening:
    """Changes of one decision at one frame. `at` is the engine's clock; `state` is what is remembered after it, if anything is.

    Objects: `object` raised or cleared by itself, `direction` where it crossed.
    """

    site_id: int
    detector_id: int
    revision: int
    region: str
    at: datetime
    changes: tuple[Change, ...]
    state: Any
    reading: float
    why: dict[str, Any]
    object: str | None = None
    direction: str | None = None


def record(happening: Happening, links: Sequence[Armed]) -> list[str]:
    """Store it all or nothing. Gives the outcome of each raise, for the page."""
    outcomes: list[str] = []
    with transaction() as session:
        for change in happening.changes:
            if change.what == "clear":
                _clear(session, happening, change.cleared_by or "reading")
            else:
                outcomes.append(_raise(session, happening, links, repeat=change.what == "repeat"))
        if happening.state is not None:
            remember(session, happening.detector_id, happening.region, happening.revision, happening.state)
    return outcomes


def remember(session: Session, detector_id: int, region: str, revision: int, state: Any) -> None:
    values = {"revision": revision, "state": asdict(state), "at": datetime.now(UTC)}
    made = insert(DecisionRow).values(detector_id=detector_id, region=region, **values)
    session.execute(made.on_conflict_do_update(index_elements=["detector_id", "region"], set_=values))


def remembered(detector_id: int) -> dict[str, tuple[int, dict[str, Any]]]:
    """What each region's decision remembered last: (revision, its fields)."""
    with transaction() as session:
        rows = session.scalars(select(DecisionRow).where(DecisionRow.detector_id == detector_id))
        return {row.region: (row.revision, dict(row.state)) for row in rows}


def close_open_events(detector_id: int, *, by: str) -> None:
    """A decision that ends for another cause than its reading (a new revision) leaves no event open."""
    with transaction() as session:
        session.execute(
            update(EventRow)
            .where(EventRow.detector_id == detector_id, EventRow.cleared_at.is_(None))
            .values(cleared_at=datetime.now(UTC), cleared_by=by)
        )


def forget_inside(detector_id: int, revision: int, state: Any) -> None:
    """Occupancy was set to nobody: remember that, and let no capacity alarm stand."""
    with transaction() as session:
        remember(session, detector_id, REGION, revision, state)
        standing = update(EventRow).where(
            EventRow.detector_id == detector_id, EventRow.region == REGION, EventRow.cleared_at.is_(None)
        )
        session.execute(standing.values(cleared_at=datetime.now(UTC), cleared_by="reset"))


def acknowledge(session: Session, output: str) -> int:
    """Let go of a latched output; gives how many standing causes it had."""
    rows = _latched(session, output)
    at = datetime.now(UTC)
    for row in rows:
        session.add(_effect(row.event_id, row.device_id, output, active=False, due=at, expires=at + NEVER_EXPIRES))
    return len(rows)


def _raise(session: Session, happening: Happening, links: Sequence[Armed], *, repeat: bool) -> str:
    hearing = [each for each in links if each.link.listens_to(happening.region)]
    armed = [each.link for each in hearing if each.between(happening.at, happening.at)(happening.at)]
    fired = [f for link in armed for f in firings(link, event=0, raised_s=0.0, repeat=repeat)]
    outcome = "fired" if fired else "no link" if not hearing else "outside the timetable" if not armed else "no effect"
    event = EventRow(
        detector_id=happening.detector_id,
        revision=happening.revision,
        region=happening.region,
        raised_at=happening.at,
        repeat=repeat,
        reading=happening.reading,
        why=happening.why,
        outcome=outcome,
        object=happening.object,
        direction=happening.direction,
    )
    session.add(event)
    session.flush()
    devices = {output.name: device.id for device, output in outputs_of(session, happening.site_id)}
    for firing in fired:
        _order(session, event.id, devices[firing.output], firing, happening.at)
    return outcome


def _order(session: Session, event_id: int, device_id: int, firing: Firing, at: datetime) -> None:
    """An on and, unless latched, an off. A pulse on an output that is active extends it and never cuts it short."""
    on_at = at + timedelta(seconds=firing.on_s)
    expires = on_at + timedelta(seconds=firing.effect.expire_s)
    latched = bool(_latched(session, firing.output))
    session.add(_effect(event_id, device_id, firing.output, active=True, due=on_at, expires=expires))
    pending = session.scalars(
        select(EffectRow)
        .where(
            EffectRow.output == firing.output,
            EffectRow.active.is_(False),
            EffectRow.state == "waiting",
            EffectRow.due_at >= on_at,
        )
        .with_for_update()
    ).all()
    if firing.off_s is None:
        for row in pending:
            row.state, row.note = "dropped", f"latched by event {event_id}"
        return
    off_at = at + timedelta(seconds=firing.off_s)
    off = _effect(event_id, device_id, firing.output, active=False, due=off_at, expires=off_at + NEVER_EXPIRES)
    if latched:
        off.state, off.note = "dropped", "the output is latched by another event"
    for row in pending:
        if off.state == "waiting" and row.due_at > off_at:
            off.state, off.note = "dropped", f"event {row.event_id} lasts longer"
        elif off.state == "waiting":
            row.state, row.note = "dropped", f"extended by event {event_id}"
    session.add(off)


def _latched(session: Session, output: str) -> list[EffectRow]:
    """Ons of an output that nothing has ordered off: latched, and not acknowledged."""
    offs = select(EffectRow.event_id).where(EffectRow.output == output, EffectRow.active.is_(False))
    query = select(EffectRow).where(
        EffectRow.output == output,
        EffectRow.active.is_(True),
        EffectRow.state.in_(("waiting", "delivered")),
        EffectRow.event_id.not_in(offs),
    )
    session.flush()
    return list(session.scalars(query))


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


def _clear(session: Session, happening: Happening, by: str) -> None:
    session.execute(
        update(EventRow)
        .where(
            EventRow.detector_id == happening.detector_id,
            EventRow.region == happening.region,
            EventRow.object.is_not_distinct_from(happening.object),
            EventRow.cleared_at.is_(None),
        )
        .values(cleared_at=happening.at, cleared_by=by)
    )
