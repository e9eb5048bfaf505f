"""What the engine writes: an event with its effects and the decision's memory, in one transaction, once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass, field
from datetime import UTC, datetime
from typing import Any
from uuid import UUID, uuid4, uuid5

from sqlalchemy import select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from lantern.core.linking.timeline import firings
from lantern.core.logic.timetable import Timetable
from lantern.core.rehearsal import Armed, active
from lantern.core.watch import Turn
from lantern.db.base import transaction
from lantern.live.outbox import order
from lantern.live.tables import DecisionRow, EventRow
from lantern.survey.tables import outputs_of


@dataclass(frozen=True)
class Happening:
    """A turn of a detector that runs. `at` is the engine's clock; `key` names it, so that it can be stored again where nobody
    knows whether it was stored: the second time changes nothing.
    """

    site_id: int
    detector_id: int
    revision: int
    at: datetime
    turn: Turn
    device_t: float | None = None  # the device's own time of the sample
    key: UUID = field(default_factory=uuid4)


def record(happening: Happening, links: Sequence[Armed], hours: Timetable | None = None) -> list[str]:
    """Store it all or nothing. `hours`: the detector's own. Returns the outcome of each raise, for the page."""
    with transaction() as session:
        turns = enumerate(happening.turn.chain())
        return [outcome for place, turn in turns for outcome in _record(session, happening, place, turn, links, hours)]


def _record(
    session: Session, happening: Happening, place: int, turn: Turn, links: Sequence[Armed], hours: Timetable | None
) -> list[str]:
    outcomes: list[str] = []
    for number, change in enumerate(turn.changes):
        if change.what == "clear":
            _clear(session, happening, turn, change.cleared_by or "reading")
        else:
            key = uuid5(happening.key, f"{place}.{number}")
            stored = session.scalar(select(EventRow.outcome).where(EventRow.key == key))
            repeat = change.what == "repeat"
            outcomes.append(stored or _raise(session, happening, turn, links, hours, key, repeat=repeat))
    if turn.state is not None:
        remember(session, happening.detector_id, turn.region, happening.revision, turn.state)
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


def record_reset(detector_id: int, revision: int, turn: Turn) -> None:
    """Somebody set a region's state by hand: remember it, and let no event of the region stand."""
    with transaction() as session:
        remember(session, detector_id, turn.region, revision, turn.state)
        standing = update(EventRow).where(
            EventRow.detector_id == detector_id, EventRow.region == turn.region, EventRow.cleared_at.is_(None)
        )
        session.execute(standing.values(cleared_at=datetime.now(UTC), cleared_by="reset"))


def _raise(
    session: Session,
    happening: Happening,
    turn: Turn,
    links: Sequence[Armed],
    hours: Timetable | None,
    key: UUID,
    *,
    repeat: bool,
) -> str:
    hearing = [each for each in links if each.link.listens_to(turn.region, turn.own.get("list"))]
    at = happening.at
    awake = active(hours, at, at)(at)
    armed = [each.link for each in hearing if awake and each.between(at, at)(at)]
    fired = [f for link in armed for f in firings(link, event=0, raised_s=0.0, repeat=repeat)]
    outcome = "fired" if fired else "no effect"
    if not awake or (hearing and not armed):
        outcome = "outside the timetable"
    elif not hearing:
        outcome = "no link"
    devices = {output.name: device.id for device, output in outputs_of(session, happening.site_id)}
    gone = sorted({firing.output for firing in fired if firing.output not in devices})
    if gone:
        outcome = f"{outcome}; the site has no output {', '.join(gone)} any more"
    event = EventRow(
        key=key,
        detector_id=happening.detector_id,
        revision=happening.revision,
        region=turn.region,
        raised_at=happening.at,
        repeat=repeat,
        reading=turn.reading,
        why=turn.why,
        own=turn.own,
        outcome=outcome,
        object=turn.object,
        device_t=happening.device_t,
        direction=turn.direction,
    )
    session.add(event)
    session.flush()
    for firing in fired:
        if firing.output in devices:
            order(session, event.id, devices[firing.output], firing, happening.at)
    return outcome


def _clear(session: Session, happening: Happening, turn: Turn, by: str) -> None:
    session.execute(
        update(EventRow)
        .where(
            EventRow.detector_id == happening.detector_id,
            EventRow.region == turn.region,
            EventRow.object.is_not_distinct_from(turn.object),
            EventRow.cleared_at.is_(None),
        )
        .values(cleared_at=happening.at, cleared_by=by)
    )
