"""Passwords by which devices let us in: sealed by keys outside the database, opened only to ask a device, and shown to nobody."""

from __future__ import annotations

from uuid import UUID, uuid4

from sqlalchemy import ForeignKey, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from lantern.core.faults import Fault, Refused
from lantern.db.base import Base
from lantern.persons.keys import key_store
from lantern.persons.sealing import Sealed, opened, sealed
from lantern.register.tables import DeviceRow

MOST_CHARACTERS = 200


class DevicePasswordRow(Base):
    """One of a device at most."""

    __tablename__ = "device_password"

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    device_id: Mapped[int] = mapped_column(ForeignKey("device.id", ondelete="CASCADE"), unique=True)
    key_id: Mapped[UUID]
    nonce: Mapped[bytes]
    data: Mapped[bytes]


def keep_password(session: Session, device: DeviceRow, password: str) -> None:
    """Keep it in place of an earlier one, by a key of its own; empty: there is none any more. Raises `Refused`."""
    if len(password) > MOST_CHARACTERS or any(not each.isprintable() for each in password):
        raise Refused(
            [
                Fault(
                    "password",
                    "is too long, or has characters that nobody types",
                    f"{MOST_CHARACTERS} printable ones at most",
                )
            ]
        )
    held = _row(session, device)
    if held is not None:
        session.delete(held)
        session.flush()
        key_store().destroy([held.key_id])
    if not password:
        return
    [(key_id, key)] = key_store().made()
    row_id = uuid4()
    kept = sealed(row_id, password.encode(), key_id, key)
    session.add(DevicePasswordRow(id=row_id, device_id=device.id, key_id=kept.key_id, nonce=kept.nonce, data=kept.data))
    session.flush()


def has_password(session: Session, device: DeviceRow) -> bool:
    return _row(session, device) is not None


def password_of(session: Session, device: DeviceRow) -> str:
    """Return it; empty: there is none. Raises `Refused` where its key is not here, `SealError` where it was changed."""
    held = _row(session, device)
    if held is None:
        return ""
    key = key_store().of([held.key_id]).get(held.key_id)
    if key is None:
        what = "its password was sealed by a key that is not here: the data came from a backup, or another machine"
        raise Refused([Fault(f"device {device.code}", what, "the password, given anew")])
    return opened(held.id, Sealed(held.key_id, held.nonce, held.data), key).decode()


def passwords_of_everywhere(session: Session) -> dict[int, str]:
    """Return by device a word that changes with its password."""
    query = select(DevicePasswordRow.device_id, DevicePasswordRow.id)
    return {device_id: str(row_id) for device_id, row_id in session.execute(query)}


def _row(session: Session, device: DeviceRow) -> DevicePasswordRow | None:
    return session.scalar(select(DevicePasswordRow).where(DevicePasswordRow.device_id == device.id))
