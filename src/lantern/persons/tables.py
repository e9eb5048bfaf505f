"""Persons behind the names that devices give them: what is known of them is sealed, in rows of its own."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from datetime import datetime
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import ForeignKey, Index, UniqueConstraint, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from lantern.db.base import Base, now
from lantern.db.work import WorkRow
from lantern.people.tables import User
from lantern.persons.sealing import Sealed
from lantern.register.tables import DeviceRow


class PersonRow(Base):
    """Somebody on a list. `member`: what devices and lists call them; gone, with the key, once they are erased."""

    __tablename__ = "person"
    __table_args__ = (UniqueConstraint("site_id", "member"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    uuid: Mapped[UUID] = mapped_column(unique=True, default=uuid4)  # never given twice, whatever backup is restored
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id"))
    member: Mapped[str | None]
    key_id: Mapped[UUID | None]
    made: Mapped[datetime] = mapped_column(default=now)
    enrolled: Mapped[datetime | None]  # when the picture came that devices hold them against
    erased: Mapped[datetime | None]


class _SealedColumns:
    key_id: Mapped[UUID] = mapped_column(index=True)
    nonce: Mapped[bytes]
    data: Mapped[bytes] = mapped_column(deferred=True)

    @property
    def sealed(self) -> Sealed:
        return Sealed(self.key_id, self.nonce, self.data)


class SecretRow(_SealedColumns, Base):
    """One thing that is known of a person: `what` is name, portrait or features."""

    __tablename__ = "person_secret"
    __table_args__ = (UniqueConstraint("person_id", "what"),)

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"))
    what: Mapped[str]
    facts: Mapped[dict[str, Any]] = mapped_column(default=dict)  # measured of a portrait; they tell nobody's face


class CaptureRow(_SealedColumns, Base):
    """The picture of one look. Of a person on a list it is sealed by their key; else by one of its own, until `goes`."""

    __tablename__ = "capture"
    __table_args__ = (
        Index("ix_capture_device_id_probe", "device_id", "probe"),
        Index("ix_capture_goes", "goes"),
        Index("ix_capture_person_id", "person_id"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    device_id: Mapped[int] = mapped_column(ForeignKey("device.id"))
    probe: Mapped[str]
    at: Mapped[datetime]
    goes: Mapped[datetime]
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"))


class GalleryRow(Base):
    """What a device holds of a member, as it last said; or that it is to be told to let them go."""

    __tablename__ = "gallery"

    device_id: Mapped[int] = mapped_column(ForeignKey("device.id"), primary_key=True)
    member: Mapped[str] = mapped_column(primary_key=True)
    state: Mapped[str]  # held, refused, leaving
    digest: Mapped[str] = mapped_column(default="")  # of the picture that it was given
    says: Mapped[str] = mapped_column(default="")
    at: Mapped[datetime] = mapped_column(default=now)
    erasure_id: Mapped[int | None] = mapped_column(ForeignKey("erasure.id", ondelete="CASCADE"))


class GalleryStateRow(Base):
    """How the gallery of a device was last reached, and what made its features then."""

    __tablename__ = "gallery_state"

    device_id: Mapped[int] = mapped_column(ForeignKey("device.id"), primary_key=True)
    at: Mapped[datetime] = mapped_column(default=now)
    trouble: Mapped[str] = mapped_column(default="")
    algorithm: Mapped[str] = mapped_column(default="")
    strange: Mapped[list[Any]] = mapped_column(default=list)  # whom it holds and no list of this site has


class KeepingRow(Base):
    """On which legal basis a list is kept, and for how long its members are: never in a site's file."""

    __tablename__ = "list_keeping"

    list_id: Mapped[int] = mapped_column(ForeignKey("named_list.id", ondelete="CASCADE"), primary_key=True)
    legal_basis: Mapped[str] = mapped_column(default="")
    keep_days: Mapped[int | None]  # after they were enrolled; None: until somebody erases them


class SiteKeepingRow(Base):
    """How long a site keeps pictures of those on no list, and when the program last looked, and will."""

    __tablename__ = "site_keeping"

    site_id: Mapped[int] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"), primary_key=True)
    capture_hours: Mapped[int]
    last: Mapped[datetime | None]
    next: Mapped[datetime | None]
    gone: Mapped[int] = mapped_column(default=0)  # pictures, at the last run
    erased: Mapped[int] = mapped_column(default=0)  # persons, at the last run


class ErasureRow(WorkRow, Base):
    """That somebody was erased: who of the users did it, and whether all devices were told. It names nobody."""

    __tablename__ = "erasure"

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id"))
    person: Mapped[UUID]
    user_id: Mapped[int | None] = mapped_column(ForeignKey("user_account.id"))
    why: Mapped[str]
    member: Mapped[str | None]  # until every place is cleared of it
    devices: Mapped[list[Any]] = mapped_column(default=list)  # codes of those that hold, or held, the person
    counts: Mapped[dict[str, Any]] = mapped_column(default=dict)  # in how many rows of what the name stood
    user: Mapped[User | None] = relationship()


class SeenRow(Base):
    """Somebody looked at somebody: at a name, a portrait, a picture of a look, or an export."""

    __tablename__ = "seen_person"
    __table_args__ = (Index("ix_seen_person_site_id_id", "site_id", "id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id"))
    user_id: Mapped[int | None] = mapped_column(ForeignKey("user_account.id"))
    at: Mapped[datetime] = mapped_column(default=now)
    what: Mapped[str]
    of: Mapped[UUID | None]  # of a person, or of a capture
    user: Mapped[User | None] = relationship()


def persons_of(session: Session, site_id: int) -> list[PersonRow]:
    """Return those of a site who are not erased."""
    query = select(PersonRow).where(PersonRow.site_id == site_id, PersonRow.erased.is_(None))
    return list(session.scalars(query.order_by(PersonRow.member)))


def person_named(session: Session, site_id: int, member: str) -> PersonRow | None:
    return session.scalar(select(PersonRow).where(PersonRow.site_id == site_id, PersonRow.member == member))


def secrets_of(session: Session, person_ids: Collection[int], what: str) -> dict[int, SecretRow]:
    """Return by person that one thing that is known of them."""
    query = select(SecretRow).where(SecretRow.person_id.in_(person_ids), SecretRow.what == what)
    return {row.person_id: row for row in session.scalars(query)}


def secrets_of_person(session: Session, person_id: int) -> list[SecretRow]:
    """Return all that is known of a person."""
    return list(session.scalars(select(SecretRow).where(SecretRow.person_id == person_id)))


def capture_of(session: Session, device_id: int, probe: str) -> CaptureRow | None:
    """Return the newest picture of that look."""
    query = select(CaptureRow).where(CaptureRow.device_id == device_id, CaptureRow.probe == probe)
    return session.scalar(query.order_by(CaptureRow.at.desc()).limit(1))


def captures_of(session: Session, person_id: int) -> Sequence[CaptureRow]:
    return session.scalars(select(CaptureRow).where(CaptureRow.person_id == person_id).order_by(CaptureRow.at)).all()


def gallery_of(session: Session, device_id: int) -> dict[str, GalleryRow]:
    """Return what is known of a device's gallery, by member."""
    rows = session.scalars(select(GalleryRow).where(GalleryRow.device_id == device_id))
    return {row.member: row for row in rows}


def erasures_of(session: Session, site_id: int, count: int = 50) -> list[ErasureRow]:
    """The newest first."""
    query = select(ErasureRow).where(ErasureRow.site_id == site_id).order_by(ErasureRow.id.desc())
    return list(session.scalars(query.limit(count)))


def seen_of(session: Session, site_id: int, count: int = 200) -> list[SeenRow]:
    """Who looked at whom, the newest first."""
    query = select(SeenRow).where(SeenRow.site_id == site_id).order_by(SeenRow.id.desc())
    return list(session.scalars(query.limit(count)))


def pending_at(session: Session, erasure_id: int) -> list[str]:
    """Return the codes of devices that have not let them go yet."""
    query = select(DeviceRow.code).join(GalleryRow, GalleryRow.device_id == DeviceRow.id)
    return list(session.scalars(query.where(GalleryRow.erasure_id == erasure_id).order_by(DeviceRow.code)))


OWNER_OF_PERSON = (PersonRow.id, select(PersonRow.site_id))
