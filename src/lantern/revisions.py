"""Everything that an engineer sets is kept, state by state: who, when, why, before and after. Nothing is overwritten unseen."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any, ClassVar, TypeVar

from sqlalchemy import ForeignKey, UniqueConstraint, func, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from lantern.core.faults import Fault, LanternError, Refused
from lantern.db.base import Base, now
from lantern.people.tables import User

BEFORE = "As it was before its states were kept."
WHY = "why the values are what they are, for whoever comes next"


class StaleRevisionError(LanternError):
    """Someone else saved a state meanwhile; nothing was overwritten."""


class Revised:
    """A row whose states are kept. `revision` is the number of the one in use, `body` its document, which has its name."""

    WHAT: ClassVar[str]

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id"))
    name: Mapped[str]
    body: Mapped[dict[str, Any]]
    revision: Mapped[int] = mapped_column(default=0)


Row = TypeVar("Row", bound=Revised)


class RevisionRow(Base):
    """A state that was saved, or that it was deleted (no body). Never changed."""

    __tablename__ = "revision"
    __table_args__ = (UniqueConstraint("what", "subject_id", "number"), {"info": {"told": "revisions"}})

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id"), index=True)
    what: Mapped[str]  # a sort of rows: `Revised.WHAT`
    subject_id: Mapped[int]
    number: Mapped[int]
    name: Mapped[str]
    body: Mapped[dict[str, Any] | None]
    reason: Mapped[str]
    facts: Mapped[dict[str, Any]]  # what was known when it was saved, such as how it scored
    user_id: Mapped[int | None] = mapped_column(ForeignKey("user_account.id"))
    at: Mapped[datetime] = mapped_column(default=now)
    user: Mapped[User | None] = relationship()

    @property
    def document(self) -> dict[str, Any]:
        """The state. Raises `Refused` where this is that it was deleted."""
        if self.body is None:
            raise Refused([Fault("revision", f"{self.name} was deleted then", "a revision with a state")])
        return self.body

    @property
    def scores(self) -> list[Any]:
        """Return for each take that it was judged on its id, name and score card."""
        return list(self.facts.get("scores", []))


def check_reason(reason: str) -> None:
    """Raises `Refused` for a change without a reason."""
    if not reason.strip():
        raise Refused([Fault("reason", "is empty", WHY)])


def hold(session: Session, row: Revised, base: int) -> None:
    """Lock a row for a change that began from revision `base`. Raises `StaleRevisionError` if that is not the one in use."""
    session.refresh(row, with_for_update=True)
    if row.revision != base:
        raise StaleRevisionError(
            f"Revision {row.revision} of {row.name} was saved meanwhile; yours began from {base}. "
            "Reload the page to see it, then make your change again."
        )


def keep(
    session: Session,
    row: Revised,
    body: dict[str, Any],
    *,
    reason: str,
    user_id: int | None,
    facts: dict[str, Any] | None = None,
) -> RevisionRow:
    """Return the state that the row now has, kept as its next revision. Raises `Refused` without a reason."""
    check_reason(reason)
    row.body, row.name, row.revision = body, body["name"], row.revision + 1
    session.add(row)
    session.flush()
    return _add(session, row, body, reason, user_id, facts or {})


def keep_alike(session: Session, row: Revised, body: dict[str, Any], *, reason: str, user_id: int | None) -> None:
    """Keep a state that another change brought about, as a name that it goes by; what was known of the last one holds on."""
    last = revision(session, row.WHAT, row.id, row.revision)
    keep(session, row, body, reason=reason, user_id=user_id, facts={} if last is None else last.facts)


def remove(session: Session, row: Revised, *, reason: str, user_id: int | None) -> None:
    """Delete a row; its states stay, and that it was deleted."""
    row.revision += 1
    _add(session, row, None, reason, user_id, {})
    session.delete(row)
    session.flush()


def _add(
    session: Session, row: Revised, body: dict[str, Any] | None, reason: str, user_id: int | None, facts: dict[str, Any]
) -> RevisionRow:
    saved = RevisionRow(
        site_id=row.site_id,
        what=row.WHAT,
        subject_id=row.id,
        number=row.revision,
        name=row.name,
        body=body,
        reason=reason.strip(),
        facts=facts,
        user_id=user_id,
    )
    session.add(saved)
    session.flush()
    return saved


@dataclass(frozen=True)
class Subject:
    """Something whose states are kept beside its row, which has columns and no document: a device, a place."""

    what: str
    id: int
    site_id: int
    name: str


def keep_beside(
    session: Session,
    subject: Subject,
    after: dict[str, Any],
    *,
    before: Mapping[str, Any] | None,
    reason: str,
    user_id: int | None,
    facts: dict[str, Any] | None = None,
) -> RevisionRow | None:
    """Return the state that something now has, kept as its next revision; None: nothing has changed. `before`: what it was, kept
    first where no state of it was; None: it is new.
    """
    if after == before:
        return None
    newest = session.scalar(
        select(func.max(RevisionRow.number)).where(
            RevisionRow.what == subject.what, RevisionRow.subject_id == subject.id
        )
    )
    number = newest or 0
    if number == 0 and before is not None:
        number += 1
        session.add(_beside(subject, number, dict(before), BEFORE, None, {}))
    saved = _beside(subject, number + 1, after, reason.strip(), user_id, facts or {})
    session.add(saved)
    session.flush()
    return saved


def _beside(
    subject: Subject, number: int, body: dict[str, Any], reason: str, user_id: int | None, facts: dict[str, Any]
) -> RevisionRow:
    return RevisionRow(
        site_id=subject.site_id,
        what=subject.what,
        subject_id=subject.id,
        number=number,
        name=subject.name,
        body=body,
        reason=reason,
        facts=facts,
        user_id=user_id,
    )


def restored(number: int, old: RevisionRow) -> str:
    """Return the reason for an old state that is saved anew."""
    return f"Restored revision {number}: {old.reason}"


def revisions_of(session: Session, what: str, subject_ids: Collection[int]) -> list[RevisionRow]:
    """Return the revisions of these rows, the newest first."""
    query = select(RevisionRow).where(RevisionRow.what == what, RevisionRow.subject_id.in_(subject_ids))
    return list(session.scalars(query.order_by(RevisionRow.at.desc(), RevisionRow.number.desc())))


def newest_of_site(session: Session, site_id: int) -> int:
    """Return the number of the newest state of anything on a site; 0: nothing was kept yet."""
    return session.scalar(select(func.max(RevisionRow.id)).where(RevisionRow.site_id == site_id)) or 0


def revision(session: Session, what: str, subject_id: int, number: int) -> RevisionRow | None:
    query = select(RevisionRow).where(RevisionRow.what == what, RevisionRow.subject_id == subject_id)
    return session.scalar(query.where(RevisionRow.number == number))
