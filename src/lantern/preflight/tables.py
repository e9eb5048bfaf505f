"""What the preflight found on a site, what of it somebody lives with, and who has seen it when."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, UniqueConstraint, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from lantern.db.base import Base, now


class LookRow(Base):
    """The last look at a site. `mark`: of all that it went by; another mark is another site."""

    __tablename__ = "preflight"

    site_id: Mapped[int] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"), primary_key=True)
    mark: Mapped[str]
    at: Mapped[datetime] = mapped_column(default=now)
    findings: Mapped[list[Any]]


class AcceptedRow(Base):
    """A finding that somebody lives with. `what`: what it said then; None: whatever it says."""

    __tablename__ = "accepted_finding"
    __table_args__ = (UniqueConstraint("site_id", "rule", "at"), {"info": {"told": "accepted findings"}})

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id"))
    rule: Mapped[str]
    at: Mapped[str]
    what: Mapped[str | None]
    because: Mapped[str]
    by: Mapped[str]
    on: Mapped[str]


class SeenRow(Base):
    """Until when somebody has seen what was found on a site: what was found later is new to them."""

    __tablename__ = "preflight_seen"

    user_id: Mapped[int] = mapped_column(ForeignKey("user_account.id", ondelete="CASCADE"), primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"), primary_key=True)
    at: Mapped[datetime]


def accepted_of(session: Session, site_id: int) -> list[AcceptedRow]:
    query = select(AcceptedRow).where(AcceptedRow.site_id == site_id)
    return list(session.scalars(query.order_by(AcceptedRow.rule, AcceptedRow.at)))


def accepted_at(session: Session, site_id: int, rule: str, at: str) -> AcceptedRow | None:
    query = select(AcceptedRow).where(AcceptedRow.site_id == site_id, AcceptedRow.rule == rule)
    return session.scalar(query.where(AcceptedRow.at == at))
