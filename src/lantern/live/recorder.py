"""What the engine writes: an event with its orders and the decision's memory, in one transaction, once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from datetime import datetime, timedelta
from typing import Any, NamedTuple
from uuid import NAMESPACE_OID, UUID, uuid4, uuid5

from sqlalchemy import select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from lantern.core.linking import outcomes
from lantern.core.linking.arming import Armed, Arming, Firing, Heard
from lantern.core.linking.inputs import State, raises
from lantern.core.logic.timetable import Timetable
from lantern.core.reasons import Reason
from lantern.core.watch import Turn
from lantern.db.base import transaction
from lantern.links.tables import hours_named
from lantern.live.limits import buckets
from lantern.live.naming import names_of
from lantern.live.outbox import place
from lantern.live.tables import DecisionRow, EventRow, InputRow
from lantern.register.tables import DeviceRow, devices_of_site, outputs_of

OF_COMPOUNDS = uuid5(NAMESPACE_OID, "lantern compound")


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
        remember(session, happening.detector_id, turn.region, happening.revision, turn.state, happening.at)
    return outcomes


def remember(session: Session, detector_id: int, region: str, revision: int, state: Any, at: datetime) -> None:
    values = {"revision": revision, "state": asdict(state), "at": at}
    made = insert(DecisionRow).values(detector_id=detector_id, region=region, **values)
    session.execute(made.on_conflict_do_update(index_elements=["detector_id", "region"], set_=values))


def remembered(detector_id: int) -> dict[str, tuple[int, dict[str, Any]]]:
    """Return what each region's decision remembered last: (revision, its fields)."""
    with transaction() as session:
        rows = session.scalars(select(DecisionRow).where(DecisionRow.detector_id == detector_id))
        return {row.region: (row.revision, dict(row.state)) for row in rows}


def close_open_events(detector_id: int, at: datetime, *, by: str) -> None:
    """A decision that ends for another cause than its reading (a new revision) leaves no event open."""
    with transaction() as session:
        session.execute(
            update(EventRow)
            .where(EventRow.detector_id == detector_id, EventRow.cleared_at.is_(None))
            .values(cleared_at=at, cleared_by=by)
        )


def record_reset(detector_id: int, revision: int, turn: Turn, at: datetime) -> None:
    """Somebody set a region's state by hand: remember it, and let no event of the region stand."""
    with transaction() as session:
        remember(session, detector_id, turn.region, revision, turn.state, at)
        standing = update(EventRow).where(
            EventRow.detector_id == detector_id, EventRow.region == turn.region, EventRow.cleared_at.is_(None)
        )
        session.execute(standing.values(cleared_at=at, cleared_by="reset"))


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
    heard = Heard(turn.region, turn.own.get("list"), repeat)
    answer = _answered(session, happening.site_id, links, hours, heard, happening.at)
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
        object=turn.object,
        device_t=happening.device_t,
        direction=turn.direction,
    )
    return _store(session, happening.site_id, event, *answer)


def _answered(
    session: Session, site_id: int, links: Sequence[Armed], hours: Timetable | None, heard: Heard, at: datetime
) -> tuple[list[Firing], Reason]:
    """Return what an event sets off, or why nothing; what limits let through is taken from them."""
    with buckets(session, site_id, links) as held:
        return Arming(links, hours, at, at, held).answer(heard, at)


def _store(session: Session, site_id: int, event: EventRow, fired: Sequence[Firing], reason: Reason) -> str:
    """The event with its orders; returns its outcome."""
    names = names_of(session, event) if fired else {}
    found_outputs = outputs_of(session, site_id)
    devices = {output.name: device.id for device, output in found_outputs}
    own_hours = {output.name: output.timetable for _, output in found_outputs if output.timetable}
    codes = {device.code: device.id for device in devices_of_site(session, site_id)}
    of = [(firing, _thing_of(firing, devices, codes)) for firing in fired]
    missing = outcomes.without_outputs(sorted({firing.thing for firing, found in of if found is None}))
    event.outcome, event.because = f"{outcomes.OF_EVENT[reason.code]}{missing}", reason.text
    session.add(event)
    session.flush()
    for firing, found in of:
        if found is not None:
            asleep = _asleep(session, site_id, firing, own_hours.get(firing.thing), event.raised_at)
            place(session, event.id, found.device_id, firing, event.raised_at, names, asleep)
    return event.outcome


def _asleep(session: Session, site_id: int, firing: Firing, own: str | None, raised_at: datetime) -> str:
    """Return why an output is not switched by what is ordered of it; empty: it is. `own`: its timetable."""
    hours = hours_named(session, site_id, own) if own is not None and firing.effect.HELD == "coil" else None
    on = hours is None or hours.is_active(raised_at + timedelta(seconds=firing.after_s))
    return "" if hours is None or on else outcomes.output_asleep(hours)


class _Of(NamedTuple):
    """The device that an order is of; None: of no device of the site."""

    device_id: int | None


def _thing_of(firing: Firing, outputs: Mapping[str, int], codes: Mapping[str, int]) -> _Of | None:
    """Return where an order goes; None: the site has lost what it names."""
    if firing.effect.HELD == "coil":
        return _Of(outputs[firing.thing]) if firing.thing in outputs else None
    if firing.effect.devices_named:
        return _Of(codes[firing.thing]) if firing.thing in codes else None
    return _Of(None)


@dataclass(frozen=True)
class InputTurn:
    """An input that came to another state. `told`: of a fault, what it is; `reading`: the bit, or the ratio."""

    site_id: int
    device_id: int
    input: str
    before: State | None  # as it was last known
    state: State
    told: str
    reading: float
    at: datetime
    key: UUID = field(default_factory=uuid4)


class InputStored(NamedTuple):
    """What came of an input's event; `asleep`: its own timetable was off."""

    outcome: str
    asleep: bool


def record_input(turn: InputTurn, links: Sequence[Armed]) -> InputStored | None:
    """Keep the state; the event that stood is over, and one is raised where the state causes something. Returns what came of that."""
    with transaction() as session:
        named = session.get_one(DeviceRow, turn.device_id)
        own = next((each.timetable for each in named.input_models if each.name == turn.input), None)
        hours = None if own is None else hours_named(session, turn.site_id, own)
        asleep = hours is not None and not hours.is_active(turn.at)
        stored = session.scalar(select(EventRow.outcome).where(EventRow.key == turn.key))
        if stored is not None:
            return InputStored(stored, asleep)
        values = {"state": turn.state, "at": turn.at}
        made = insert(InputRow).values(device_id=turn.device_id, input=turn.input, **values)
        session.execute(made.on_conflict_do_update(index_elements=["device_id", "input"], set_=values))
        if turn.state != turn.before:
            standing = update(EventRow).where(EventRow.device_id == turn.device_id, EventRow.input == turn.input)
            over = standing.where(EventRow.cleared_at.is_(None))
            session.execute(over.values(cleared_at=turn.at, cleared_by="reading"))
        if not raises(turn.before, turn.state):
            return None
        event = EventRow(
            key=turn.key,
            device_id=turn.device_id,
            input=turn.input,
            revision=0,
            region=turn.state,
            raised_at=turn.at,
            repeat=False,
            reading=turn.reading,
            why={"state": turn.state, "before": turn.before, "told": turn.told},
        )
        answer = _answered(session, turn.site_id, links, hours, Heard(turn.state), turn.at)
        return InputStored(_store(session, turn.site_id, event, *answer), asleep)


@dataclass(frozen=True)
class CompoundTurn:
    """What a compound raised. `stands`: until a `CompoundClear`; `asleep`: its own hours are off; `parts`: what it was made of, in words."""

    site_id: int
    name: str
    at: datetime
    stands: bool
    asleep: bool
    parts: tuple[str, ...]


@dataclass(frozen=True)
class CompoundClear:
    """What a compound raised at a moment is over."""

    site_id: int
    name: str
    raised_at: datetime
    cleared_at: datetime


def record_compound(turn: CompoundTurn, links: Sequence[Armed], hours: Timetable | None) -> str:
    """Store what a compound raised, once, with the orders of its links. `hours`: its own. Returns its outcome."""
    key = uuid5(OF_COMPOUNDS, f"{turn.site_id} {turn.name} {turn.at.isoformat()}")
    with transaction() as session:
        stored = session.scalar(select(EventRow.outcome).where(EventRow.key == key))
        if stored is not None:
            return stored
        event = EventRow(
            key=key,
            site_id=turn.site_id,
            compound=turn.name,
            revision=0,
            region="",
            raised_at=turn.at,
            cleared_at=None if turn.stands else turn.at,
            cleared_by=None if turn.stands else "reading",
            repeat=False,
            reading=0.0,
            why={"parts": list(turn.parts)},
        )
        answer = _answered(session, turn.site_id, links, hours if turn.asleep else None, Heard(""), turn.at)
        return _store(session, turn.site_id, event, *answer)


def clear_compound(over: CompoundClear) -> None:
    with transaction() as session:
        named = (EventRow.site_id == over.site_id, EventRow.compound == over.name, EventRow.raised_at == over.raised_at)
        standing = update(EventRow).where(*named, EventRow.cleared_at.is_(None))
        session.execute(standing.values(cleared_at=over.cleared_at, cleared_by="reading"))


def known_inputs(device_id: int) -> dict[str, str]:
    """Return what each input of a module was last known to be."""
    with transaction() as session:
        rows = session.scalars(select(InputRow).where(InputRow.device_id == device_id))
        return {row.input: row.state for row in rows}


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
