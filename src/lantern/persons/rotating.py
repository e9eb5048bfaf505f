"""Other keys in place of those there are: what a copy of the key store opens, it opens no more of what is stored from then on."""

from __future__ import annotations

from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.db.base import transaction
from lantern.persons.actions import KeyGoneError
from lantern.persons.keys import key_store
from lantern.persons.sealing import opened, sealed
from lantern.persons.tables import CaptureRow, PersonRow, SecretRow, captures_of, secrets_of_person


def rotate_all() -> int:
    """Give everybody another key, one after the other; return how many. Whose key is not here is left out."""
    with transaction() as session:
        ids = list(session.scalars(select(PersonRow.id).where(PersonRow.key_id.is_not(None)).order_by(PersonRow.id)))
    return sum(_rotated(person_id) for person_id in ids)


def _rotated(person_id: int) -> bool:
    with transaction() as session:
        person = session.get(PersonRow, person_id, with_for_update=True)
        old = None if person is None else person.key_id
        if person is None or old is None:
            return False
        try:
            _sealed_anew(session, person, old)
        except KeyGoneError:
            return False
    key_store().destroy([old])  # only once all that it opened is stored under the other
    return True


def _sealed_anew(session: Session, person: PersonRow, old: UUID) -> None:
    """Raises `KeyGoneError`."""
    key = key_store().of([old]).get(old)
    if key is None:
        raise KeyGoneError(f"The key of {person.member} is not here.")
    [(fresh_id, fresh)] = key_store().made()
    rows: list[SecretRow | CaptureRow] = [*secrets_of_person(session, person.id), *captures_of(session, person.id)]
    for row in rows:
        if row.key_id == old:
            made = sealed(row.id, opened(row.id, row.sealed, key), fresh_id, fresh)
            row.key_id, row.nonce, row.data = made.key_id, made.nonce, made.data
    person.key_id = fresh_id
    session.flush()
