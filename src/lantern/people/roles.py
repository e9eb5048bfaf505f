"""What people may do on which site, and what they did."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.roles import ROLES
from lantern.people.tables import ChangeRow, MemberRow, User
from lantern.sites.tables import SiteRow, sites_by_name


def sites_of(session: Session, user: User) -> list[SiteRow]:
    """The sites that somebody has a role on, by name."""
    theirs = select(MemberRow.site_id).where(MemberRow.user_id == user.id)
    return sites_by_name(session, None if user.administrator else theirs)


def role_on(session: Session, user: User, site_id: int) -> str | None:
    """Return what somebody may on a site; None: nothing. An administrator may everything everywhere."""
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
