"""What people may do on which site, and what they did."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import ForeignKey, Index, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from lantern.core.roles import ROLES
from lantern.db.base import Base, now
from lantern.people.tables import User
from lantern.survey.tables import SiteRow


class MemberRow(Base):
    """A person's role on a site."""

    __tablename__ = "member"

    user_id: Mapped[int] = mapped_column(ForeignKey("user_account.id"), primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"), primary_key=True)
    role: Mapped[str]
    user: Mapped[User] = relationship()


class ChangeRow(Base):
    """Something that somebody changed: who, when, on which site, what."""

    __tablename__ = "change"
    __table_args__ = (Index("ix_change_site_id_id", "site_id", "id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime] = mapped_column(default=now)
    user_id: Mapped[int | None] = mapped_column(ForeignKey("user_account.id"))
    site_id: Mapped[int | None] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"))
    what: Mapped[str]
    user: Mapped[User | None] = relationship()


def sites_of(session: Session, user: User) -> list[SiteRow]:
    """The sites that somebody has a role on, by name."""
    query = select(SiteRow).order_by(SiteRow.name)
    if not user.administrator:
        query = query.join(MemberRow, MemberRow.site_id == SiteRow.id).where(MemberRow.user_id == user.id)
    return list(session.scalars(query))


def role_on(session: Session, user: User, site_id: int) -> str | None:
    """What somebody may on a site; None: nothing. An administrator may everything everywhere."""
    if user.administrator:
        return ROLES[-1]
    member = session.get(MemberRow, (user.id, site_id))
    return None if member is None else member.role


def changes_of(session: Session, site_id: int, count: int = 200) -> list[ChangeRow]:
    """The newest first."""
    query = select(ChangeRow).where(ChangeRow.site_id == site_id).order_by(ChangeRow.id.desc()).limit(count)
    return list(session.scalars(query))


def note_change(session: Session, *, user_id: int | None, site_id: int | None, what: str) -> None:
    session.add(ChangeRow(user_id=user_id, site_id=site_id, what=what))
