"""For how long persons and pictures are kept, on which basis, and when the program looks next."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any

import structlog
from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.db.base import now, transaction
from lantern.persons.actions import lists_of_people, members_of
from lantern.persons.captures import drop_captures, due_captures, keeping_of
from lantern.persons.erasing import erase
from lantern.persons.keys import key_store
from lantern.persons.tables import KeepingRow, PersonRow, SiteKeepingRow, persons_of
from lantern.sites.tables import sites_by_name

log = structlog.get_logger()
EVERY = timedelta(hours=1)
MOST_HOURS, MOST_DAYS, MOST_BASIS = 24 * 365, 3650, 400


def keeping_of_lists(session: Session, site_id: int) -> dict[int, KeepingRow]:
    """Return what is set, by list."""
    ids = [row.id for row in lists_of_people(session, site_id)]
    return {row.list_id: row for row in session.scalars(select(KeepingRow).where(KeepingRow.list_id.in_(ids)))}


def set_keeping(session: Session, list_id: int, *, legal_basis: str, keep_days: int | None) -> None:
    """Raises `Refused`."""
    faults = []
    if len(legal_basis) > MOST_BASIS:
        faults.append(Fault("legal basis", f"has {len(legal_basis)} characters", f"at most {MOST_BASIS}"))
    if keep_days is not None and not 1 <= keep_days <= MOST_DAYS:
        faults.append(
            Fault("keep", f"is {keep_days} days", f"1 to {MOST_DAYS} days, or empty: until somebody erases them")
        )
    if faults:
        raise Refused(faults)
    row = session.get(KeepingRow, list_id) or KeepingRow(list_id=list_id)
    row.legal_basis, row.keep_days = legal_basis.strip(), keep_days
    session.add(row)


def set_capture_hours(session: Session, site_id: int, hours: int) -> None:
    """Pictures that are there already go at their own time, or at the new one if that comes sooner. Raises `Refused`."""
    if not 0 <= hours <= MOST_HOURS:
        raise Refused([Fault("hours", f"is {hours}", f"0 to {MOST_HOURS}")])
    row = keeping_of(session, site_id)
    row.capture_hours = hours
    session.add(row)
    session.flush()


def ends_of(session: Session, site_id: int) -> list[tuple[PersonRow, datetime | None, int]]:
    """Return of each person when they go, and after how many days: by the list that keeps them longest. None: on no day."""
    by_list = keeping_of_lists(session, site_id)
    members = members_of(session, site_id)
    out = []
    for person in persons_of(session, site_id):
        on = [by_list.get(row.id) for row in members.get(person.member or "", ())]
        days = [None if held is None else held.keep_days for held in on]
        known = [each for each in days if each is not None]
        longest = max(known) if known and len(known) == len(days) else None
        since = person.enrolled or person.made
        out.append((person, None if longest is None else since + timedelta(days=longest), longest or 0))
    return out


def next_of(session: Session, site_id: int) -> Mapping[str, Any]:
    """Return when the program looked last, what went then, and when it looks next (Unix seconds)."""
    row = keeping_of(session, site_id)
    return {
        "hours": row.capture_hours,
        "last": row.last.timestamp() if row.last else None,
        "next": row.next.timestamp() if row.next else None,
        "gone": row.gone,
        "erased": row.erased,
    }


def look(at: datetime | None = None) -> list[int]:
    """Have everything go whose time is over, on the sites whose turn it is; return the erasures that are left to a worker."""
    at = at or now()
    with transaction() as session:
        sites = [row.id for row in sites_by_name(session)]
    return [erasure for site_id in sites for erasure in _look_at(site_id, at)]


def _look_at(site_id: int, at: datetime) -> list[int]:
    with transaction() as session:
        row = session.get(SiteKeepingRow, site_id, with_for_update=True)
        if row is None:
            row = keeping_of(session, site_id)
            session.add(row)
        if row.next is not None and at < row.next:
            return []
        captures = due_captures(session, site_id, at)
        keys = drop_captures(session, captures)
        due = [(person, days) for person, ends, days in ends_of(session, site_id) if ends is not None and ends <= at]
        erasures = [
            erase(session, person, why=f"Kept for {days} days, as the list says.", user_id=None).id
            for person, days in due
        ]
        row.last, row.next, row.gone, row.erased = at, at + EVERY, len(captures), len(due)
    key_store().destroy(keys)
    if captures or due:
        log.info("kept long enough", site=site_id, pictures=len(captures), persons=len(due))
    return erasures
