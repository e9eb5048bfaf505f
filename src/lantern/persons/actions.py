"""What can be done with persons: known by a name, enrolled by a picture, put on lists, looked at. Who did so is kept."""

from __future__ import annotations

import base64
import hashlib
import secrets
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, LanternError, Refused
from lantern.core.portraits import Measures
from lantern.db.base import now
from lantern.devices.gallery import Enrolment
from lantern.formats.text import has_controls
from lantern.lists.actions import save_list
from lantern.lists.tables import ListRow, lists_of
from lantern.persons.keys import key_store
from lantern.persons.sealing import opened, sealed
from lantern.persons.tables import CaptureRow, PersonRow, SecretRow, SeenRow, person_named, secrets_of

HOLDING = "members"  # the key of the lists that persons stand on
MOST_NAME, MOST_MEMBER = 120, 120
SEEN_AGAIN_S = 60.0  # a page that asks for a picture twice looked once


class KeyGoneError(LanternError):
    """The key of something sealed is not here: it was erased, or the store of keys is lost."""


@dataclass(frozen=True)
class Portrait:
    """A picture by which somebody is to be known, without notes, with what was measured of it."""

    data: bytes
    kind: str  # its media type
    measures: Measures

    @property
    def digest(self) -> str:
        return hashlib.sha256(self.data).hexdigest()


def lists_of_people(session: Session, site_id: int) -> list[ListRow]:
    return lists_of(session, site_id, holding=HOLDING)


def members_of(session: Session, site_id: int) -> dict[str, list[ListRow]]:
    """Return whoever is on a list, with the lists."""
    found: dict[str, list[ListRow]] = {}
    for row in lists_of_people(session, site_id):
        for member in row.body[HOLDING]:
            found.setdefault(member, []).append(row)
    return found


def person_for(session: Session, site_id: int, member: str) -> PersonRow:
    """Return who is called so, made if nobody is yet. Raises `Refused` for what is no name of a member."""
    held = person_named(session, site_id, member)
    if held is not None:
        return held
    if not 0 < len(member) <= MOST_MEMBER or has_controls(member):
        raise Refused([Fault("member", repr(member)[:60], f"1 to {MOST_MEMBER} printable characters")])
    [(key_id, _)] = key_store().made()
    made = PersonRow(site_id=site_id, member=member, key_id=key_id)
    session.add(made)
    session.flush()
    return made


# ---- what is known of them, sealed -----------------------------------------------------------------------------------


def put_secret(
    session: Session, person: PersonRow, what: str, plain: bytes, facts: Mapping[str, Any] | None = None
) -> None:
    """Have that be known of a person, in place of what was. Raises `KeyGoneError`."""
    key_id = person.key_id
    key = None if key_id is None else key_store().of([key_id]).get(key_id)
    if key_id is None or key is None:
        raise KeyGoneError(f"The key of {person.member} is not here: nothing can be sealed for them.")
    for old in secrets_of(session, [person.id], what).values():
        session.delete(old)
    session.flush()
    row = SecretRow(person_id=person.id, what=what, facts=dict(facts or {}))
    _seal(row, plain, key_id, key)
    session.add(row)
    session.flush()


def _seal(row: SecretRow | CaptureRow, plain: bytes, key_id: UUID, key: bytes) -> None:
    row.id = row.id or uuid4()
    made = sealed(row.id, plain, key_id, key)
    row.key_id, row.nonce, row.data = made.key_id, made.nonce, made.data


def unsealed(rows: Sequence[SecretRow | CaptureRow]) -> dict[UUID, bytes]:
    """Return by row what is sealed in it; those whose key is not here are left out."""
    keys = key_store().of({row.key_id for row in rows})
    return {row.id: opened(row.id, row.sealed, keys[row.key_id]) for row in rows if row.key_id in keys}


def names_of(session: Session, persons: Sequence[PersonRow]) -> dict[int, str | None]:
    """Return by person their name; None: there is one, and its key is not here."""
    rows = secrets_of(session, [each.id for each in persons], "name")
    plain = unsealed(list(rows.values()))
    return {key: plain[row.id].decode() if row.id in plain else None for key, row in rows.items()}


def secret_of(session: Session, person: PersonRow, what: str) -> bytes | None:
    """Return one thing that is known of a person; None: nothing is. Raises `KeyGoneError`."""
    row = secrets_of(session, [person.id], what).get(person.id)
    if row is None:
        return None
    plain = unsealed([row]).get(row.id)
    if plain is None:
        raise KeyGoneError(f"What is known of {person.member} cannot be read: its key is not here.")
    return plain


def portrait_of(session: Session, person: PersonRow) -> Portrait | None:
    """Return the picture that somebody is known by. Raises `KeyGoneError`."""
    data = secret_of(session, person, "portrait")
    if data is None:
        return None
    facts = secrets_of(session, [person.id], "portrait")[person.id].facts
    return Portrait(data, facts["kind"], Measures(**facts["measures"]))


def rename(session: Session, person: PersonRow, name: str) -> None:
    """Raises `Refused` for what is no name."""
    put_secret(session, person, "name", _checked_name(name).encode())


def _checked_name(name: str) -> str:
    kept = name.strip()
    if not 0 < len(kept) <= MOST_NAME or has_controls(kept):
        raise Refused([Fault("name", "is empty, too long or not printable", f"1 to {MOST_NAME} printable characters")])
    return kept


# ---- enrolled --------------------------------------------------------------------------------------------------------


def enrol(
    session: Session,
    site_id: int,
    *,
    member: str,
    name: str | None,
    portrait: Portrait | None,
    said: Enrolment | None,
    lists: Sequence[ListRow] = (),
    user_id: int | None,
    from_device: str | None = None,
) -> PersonRow:
    """Have somebody be known by a name, a picture, or both, and stand on these lists. `said`: what a device says of the picture,
    `from_device`: the code of that device. Devices are given the picture afterwards (`gallery.py`).

    Raises `Refused`; then nothing is stored.
    """
    person = person_for(session, site_id, member)
    if name is not None:
        rename(session, person, name)
    if portrait is not None:
        answer = None if said is None else said.model_dump(exclude={"features"}) | {"by": from_device}
        facts = {
            "kind": portrait.kind,
            "digest": portrait.digest,
            "measures": asdict(portrait.measures),
            "said": answer,
        }
        put_secret(session, person, "portrait", portrait.data, facts)
        for old in secrets_of(session, [person.id], "features").values():  # of the picture before
            session.delete(old)
        session.flush()
        if said is not None and said.features:
            put_features(session, person, said.features, by=from_device)
        person.enrolled = now()
    for held in lists:
        if member not in held.body[HOLDING]:
            body = held.body | {HOLDING: [*held.body[HOLDING], member]}
            why = f"{member} was enrolled."
            save_list(session, site_id, body, list_id=held.id, base=held.revision, reason=why, user_id=user_id)
    return person


def put_features(session: Session, person: PersonRow, text: str, *, by: str | None) -> None:
    """Keep what a device made of a picture, in base64, sealed. Raises `Refused`, `KeyGoneError`."""
    try:
        features = base64.b64decode(text, validate=True)
    except ValueError as error:
        raise Refused([Fault("features", "are no base64", "a device that answers as docs/wire.md says")]) from error
    put_secret(session, person, "features", features, {"by": by})


def fresh_member(session: Session, site_id: int) -> str:
    """Return a name for devices and lists that says nothing of who it is."""
    while True:
        member = f"p-{secrets.token_hex(4)}"
        if person_named(session, site_id, member) is None:
            return member


# ---- looked at -------------------------------------------------------------------------------------------------------


def note_seen(session: Session, site_id: int, user_id: int | None, what: str, of: UUID | None = None) -> None:
    """Keep who looked at whom; the same again within a minute is one look."""
    last = session.scalar(
        select(SeenRow.at)
        .where(
            SeenRow.site_id == site_id,
            SeenRow.user_id == user_id,
            SeenRow.what == what,
            SeenRow.of.is_not_distinct_from(of),
        )
        .order_by(SeenRow.id.desc())
        .limit(1)
    )
    if last is None or (now() - last).total_seconds() > SEEN_AGAIN_S:
        session.add(SeenRow(site_id=site_id, user_id=user_id, what=what, of=of))
