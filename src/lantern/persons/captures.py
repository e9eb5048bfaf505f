"""Pictures of looks, as devices send them: sealed by the key of whom they show, or by one of their own, and gone after their time."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from uuid import UUID, uuid4

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from lantern.db.base import now, transaction
from lantern.formats.pictures import picture_type
from lantern.persons.actions import unsealed
from lantern.persons.keys import key_store
from lantern.persons.sealing import sealed
from lantern.persons.tables import CaptureRow, PersonRow, SiteKeepingRow, capture_of
from lantern.register.tables import DeviceRow, ids_of_devices

USUAL_HOURS = 72  # pictures of those on no list are kept; common practice, no source
MOST_KEPT = 200_000  # of a device; the oldest go


@dataclass(frozen=True, slots=True)
class Capture:
    """The picture of one look. `t`: the device's own time, Unix seconds; `member`: whom it is taken for, None: nobody on a list."""

    probe: str
    t: float
    picture: bytes
    member: str | None = None


def keeping_of(session: Session, site_id: int) -> SiteKeepingRow:
    """Return what is set for a site, or what holds where nothing was set."""
    held = session.get(SiteKeepingRow, site_id)
    if held is None:
        held = SiteKeepingRow(site_id=site_id, capture_hours=USUAL_HOURS, gone=0, erased=0)
    return held


def keep(device_id: int, captures: Sequence[Capture]) -> None:
    """Store pictures of a device's looks, in a transaction of its own; one that is there already is not stored again."""
    with transaction() as session:
        add_captures(session, device_id, captures)


def add_captures(session: Session, device_id: int, captures: Sequence[Capture]) -> int:
    """Return how many were stored."""
    site_id = session.get_one(DeviceRow, device_id).site_id
    persons = _persons(session, site_id, {each.member for each in captures if each.member is not None})
    goes = now() + timedelta(hours=keeping_of(session, site_id).capture_hours)
    there = _there(session, device_id, captures)
    fresh = [each for each in captures if (each.probe, each.t) not in there]
    keys = _keys(fresh, persons)
    for each, (key_id, key) in zip(fresh, keys, strict=True):
        person = persons.get(each.member or "")
        row_id = uuid4()
        made = sealed(row_id, each.picture, key_id, key)
        at = datetime.fromtimestamp(each.t, UTC)
        session.add(
            CaptureRow(
                id=row_id, device_id=device_id, probe=each.probe, at=at, goes=goes,
                person_id=None if person is None else person.id, key_id=made.key_id, nonce=made.nonce, data=made.data,
            )
        )  # fmt: skip
    session.flush()
    return len(fresh)


def _persons(session: Session, site_id: int, members: Collection[str]) -> dict[str, PersonRow]:
    """Return those of them who are known, and have a key."""
    query = select(PersonRow).where(PersonRow.site_id == site_id, PersonRow.member.in_(members))
    return {row.member: row for row in session.scalars(query) if row.member is not None and row.key_id is not None}


def _there(session: Session, device_id: int, captures: Sequence[Capture]) -> set[tuple[str, float]]:
    probes = {each.probe for each in captures}
    query = select(CaptureRow.probe, CaptureRow.at).where(
        CaptureRow.device_id == device_id, CaptureRow.probe.in_(probes)
    )
    return {(probe, at.timestamp()) for probe, at in session.execute(query)}


def _keys(captures: Sequence[Capture], persons: Mapping[str, PersonRow]) -> list[tuple[UUID, bytes]]:
    """Return a key for each: that of whom it shows, where it is here; else a new one."""
    shown = [persons.get(each.member or "") for each in captures]
    own = [None if person is None else person.key_id for person in shown]
    known = key_store().of({key_id for key_id in own if key_id is not None})
    fresh = iter(key_store().made(sum(key_id not in known for key_id in own)))
    return [(key_id, known[key_id]) if key_id is not None and key_id in known else next(fresh) for key_id in own]


def picture_of(session: Session, device_id: int, probe: str) -> tuple[CaptureRow, bytes, str] | None:
    """Return the row of a look's picture, the picture and its media type; None: there is none, or it cannot be opened any more."""
    row = capture_of(session, device_id, probe)
    plain = None if row is None else unsealed([row]).get(row.id)
    if row is None or plain is None:
        return None
    return row, plain, picture_type(plain)


def drop_captures(session: Session, rows: Sequence[CaptureRow]) -> list[UUID]:
    """Delete pictures; returns the keys that were theirs alone, to be destroyed once that is stored."""
    session.execute(delete(CaptureRow).where(CaptureRow.id.in_([row.id for row in rows])))
    return [row.key_id for row in rows if row.person_id is None]


def due_captures(session: Session, site_id: int, at: datetime) -> Sequence[CaptureRow]:
    """Return those of a site whose time is over, or that are more than a device may have."""
    devices = list(session.scalars(ids_of_devices(site_id)))
    over = select(CaptureRow).where(CaptureRow.device_id.in_(devices), CaptureRow.goes <= at)
    found = {row.id: row for row in session.scalars(over)}
    for device_id in devices:
        mine = select(CaptureRow).where(CaptureRow.device_id == device_id).order_by(CaptureRow.at.desc())
        found |= {row.id: row for row in session.scalars(mine.offset(MOST_KEPT))}
    return list(found.values())
