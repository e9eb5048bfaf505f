"""Somebody is erased for good: their key is destroyed, and nothing that names them is left, here, in old backups or at a device.

In this order, so that whatever breaks off in between ends with them erased: the journal of the erased, their key, their rows; then,
by a worker, the name that devices had for them, wherever it stands. `replay` does it again in a backup that is put back.
"""

from __future__ import annotations

import secrets
from typing import Any

from sqlalchemy import Engine, create_engine, delete, exists, select
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.db.base import now, transaction
from lantern.db.work import Record, carry_out
from lantern.lists.actions import save_list
from lantern.persons.actions import HOLDING, lists_of_people
from lantern.persons.gallery import galleries_of, push, wanted_of
from lantern.persons.keys import key_store
from lantern.persons.tables import (
    CaptureRow,
    ErasureRow,
    GalleryRow,
    PersonRow,
    SecretRow,
    gallery_of,
    pending_at,
)
from lantern.persons.traces import replaced, swept, worded_tables

CAME_BACK = "Was erased before; an older backup that was put back still had them."
TAKEN_OFF = "Somebody on it was erased."


def erase(session: Session, person: PersonRow, *, why: str, user_id: int | None) -> ErasureRow:
    """Erase somebody; what is left to a worker is in the row that it returns. Raises `Refused` where they are erased already."""
    if person.member is None:
        raise Refused([Fault("person", "is erased already", "somebody who is known")])
    store = key_store()
    store.note_erased(person.uuid)
    if person.key_id is not None:
        store.destroy([person.key_id])
    row = ErasureRow(site_id=person.site_id, person=person.uuid, user_id=user_id, why=why, member=person.member)
    row.state, row.faults, row.devices, row.counts = "waiting", [], [], {}
    session.add(row)
    session.flush()
    row.devices = _to_be_told(session, person.site_id, person.member, row.id)
    _taken_off(session, person.site_id, person.member, user_id)
    _blank(session, person)
    return row


def _blank(session: Session, person: PersonRow) -> None:
    session.execute(delete(SecretRow).where(SecretRow.person_id == person.id))
    session.execute(delete(CaptureRow).where(CaptureRow.person_id == person.id))
    person.member = person.key_id = person.enrolled = None
    person.erased = now()
    session.flush()


def _to_be_told(session: Session, site_id: int, member: str, erasure_id: int) -> list[str]:
    """Note at each device that holds them, or is to, that it must let them go; return the codes."""
    told = []
    for device in galleries_of(session, site_id):
        held = gallery_of(session, device.id).get(member)
        if held is None and member in wanted_of(session, device):
            held = GalleryRow(device_id=device.id, member=member, digest="", says="")
            session.add(held)
        if held is not None:
            held.state, held.erasure_id, held.digest, held.says = "leaving", erasure_id, "", ""
            told.append(device.code)
    session.flush()
    return told


def _taken_off(session: Session, site_id: int, member: str, user_id: int | None) -> None:
    for held in lists_of_people(session, site_id):
        if member in held.body[HOLDING]:
            body = held.body | {HOLDING: [each for each in held.body[HOLDING] if each != member]}
            save_list(session, site_id, body, list_id=held.id, base=held.revision, reason=TAKEN_OFF, user_id=user_id)


# ---- what the worker does --------------------------------------------------------------------------------------------


def run_erasure(erasure_id: int) -> None:
    """Tell the devices, then clear every place of the name. While a device still sends it, it is kept, to be cleared again."""

    changed: set[str] = set()

    def work(row: ErasureRow) -> Record[ErasureRow]:
        counts = _cleared(row)
        changed.update(counts)

        def record(held: ErasureRow) -> None:
            held.counts = _added(held.counts, counts)

        return record

    carry_out(ErasureRow, erasure_id, work)
    with transaction() as session:
        row = session.get(ErasureRow, erasure_id)
        if row is not None and row.state == "done" and not pending_at(session, erasure_id):
            row.member = None
    swept({*worded_tables(), *changed})  # what was changed is there until then, as it was


def _cleared(row: ErasureRow) -> dict[str, int]:
    if row.member is None:
        return {}
    with transaction() as session:
        devices = [device.id for device in galleries_of(session, row.site_id) if device.code in row.devices]
    for device_id in devices:
        push(device_id)
    with transaction() as session:
        return replaced(session, row.site_id, row.member, instead())


def instead() -> str:
    """Return what stands for somebody who was erased: each time another, which leads to nobody."""
    return f"erased-{secrets.token_hex(4)}"


def _added(a: dict[str, Any], b: dict[str, int]) -> dict[str, int]:
    return {key: a.get(key, 0) + b.get(key, 0) for key in {*a, *b}}


def open_again() -> list[int]:
    """Have those erasures be done again whose devices have all been told since; return them."""
    with transaction() as session:
        pending = exists().where(GalleryRow.erasure_id == ErasureRow.id)
        query = select(ErasureRow).where(ErasureRow.state == "done", ErasureRow.member.is_not(None), ~pending)
        rows = list(session.scalars(query.with_for_update(skip_locked=True)))
        for row in rows:
            row.state, row.attempts = "waiting", 0
        return [row.id for row in rows]


# ---- a backup that is put back ---------------------------------------------------------------------------------------


def replay(database: Engine) -> int:
    """Erase whoever is in the journal and in this database all the same, and clear it of them; return how many. Pictures whose key
    is not here any more go too. Devices are told once the program runs.
    """
    swept_too: set[str] = set()
    with Session(database) as session, session.begin():
        back = select(PersonRow).where(PersonRow.uuid.in_(key_store().erased()), PersonRow.erased.is_(None))
        persons = list(session.scalars(back))
        for person in persons:
            member = person.member or ""
            row = erase(session, person, why=CAME_BACK, user_id=None)
            row.counts = replaced(session, row.site_id, member, instead())
            swept_too |= row.counts.keys()
            row.state, row.member = "done", member if pending_at(session, row.id) else None
        lost = _without_keys(session)
    if persons or lost:
        swept({*worded_tables(), *swept_too}, database)
    return len(persons)


def replay_at(address: str) -> None:
    """The same of the database at an address, as the driver takes it."""
    database = create_engine(address.replace("postgresql://", "postgresql+psycopg://"))
    try:
        replay(database)
    finally:
        database.dispose()


def _without_keys(session: Session) -> int:
    """Let go of pictures that cannot be opened any more; return of how many keys."""
    keys = set(session.scalars(select(CaptureRow.key_id).distinct()))
    gone = keys - key_store().of(keys).keys()
    if gone:
        session.execute(delete(CaptureRow).where(CaptureRow.key_id.in_(gone)))
    return len(gone)
