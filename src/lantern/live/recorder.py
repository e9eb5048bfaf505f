"""What the engine writes: an event with its effects and the decision's memory, in one transaction, once."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import asdict, dataclass, field
from datetime import UTC, datetime
from typing import Any
from uuid import UUID, uuid4, uuid5

from sqlalchemy import select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from lantern.core.decide import Change
from lantern.core.linking.timeline import firings
from lantern.core.objects.occupancy import REGION
from lantern.core.rehearsal import Armed
from lantern.db.base import transaction
from lantern.live.outbox import order
from lantern.live.tables import DecisionRow, EventRow
from lantern.survey.tables import outputs_of


@dataclass(frozen=True)
class Happening:
    """Changes of one decision at one frame. `at` is the engine's clock; `state` is what is remembered after it, if anything is.

    Objects: `object` raised or cleared by itself, `direction` where it crossed. `key` names it, so that it can be stored again
    where nobody knows whether it was stored: the second time changes nothing.
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
    key: UUID = field(default_factory=uuid4)
    then: Happening | None = None  # what follows from it, and is stored with it or not at all

    def chain(self) -> Iterator[Happening]:
        """It, and all that follows from it."""
        yield self
        if self.then is not None:
            yield from self.then.chain()


def record(happening: Happening, links: Sequence[Armed]) -> list[str]:
    """Store it all or nothing. Returns the outcome of each raise, for the page."""
    with transaction() as session:
        return [outcome for each in happening.chain() for outcome in _record(session, each, links)]


def _record(session: Session, happening: Happening, links: Sequence[Armed]) -> list[str]:
    outcomes: list[str] = []
    for number, change in enumerate(happening.changes):
        if change.what == "clear":
            _clear(session, happening, change.cleared_by or "reading")
        else:
            key = uuid5(happening.key, str(number))
            stored = session.scalar(select(EventRow.outcome).where(EventRow.key == key))
            outcomes.append(stored or _raise(session, happening, links, key, repeat=change.what == "repeat"))
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


def _raise(session: Session, happening: Happening, links: Sequence[Armed], key: UUID, *, repeat: bool) -> str:
    hearing = [each for each in links if each.link.listens_to(happening.region)]
    armed = [each.link for each in hearing if each.between(happening.at, happening.at)(happening.at)]
    fired = [f for link in armed for f in firings(link, event=0, raised_s=0.0, repeat=repeat)]
    outcome = "fired" if fired else "no link" if not hearing else "outside the timetable" if not armed else "no effect"
    devices = {output.name: device.id for device, output in outputs_of(session, happening.site_id)}
    gone = sorted({firing.output for firing in fired if firing.output not in devices})
    if gone:
        outcome = f"{outcome}; the site has no output {', '.join(gone)} any more"
    event = EventRow(
        key=key,
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
    for firing in fired:
        if firing.output in devices:
            order(session, event.id, devices[firing.output], firing, happening.at)
    return outcome


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
