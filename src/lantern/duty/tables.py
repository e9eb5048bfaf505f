"""Who moved a head: by hand, for how long, and who had it from when on."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import ForeignKey, Index, delete, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from lantern.db.base import Base


class HoldRow(Base):
    """Somebody moved it by hand, from the first movement to the last."""

    __tablename__ = "head_hold"
    __table_args__ = (Index("ix_head_hold_device_id_until_at", "device_id", "until_at"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    device_id: Mapped[int] = mapped_column(ForeignKey("device.id", ondelete="CASCADE"))
    who: Mapped[str]
    rank: Mapped[int]
    from_at: Mapped[datetime]
    until_at: Mapped[datetime]


class HadRow(Base):
    """From then on it was this one's: `by` as in `core.ptz.duty`, or `dropped`: a call that nothing came of."""

    __tablename__ = "head_had"
    __table_args__ = (Index("ix_head_had_device_id_id", "device_id", "id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    device_id: Mapped[int] = mapped_column(ForeignKey("device.id", ondelete="CASCADE"))
    at: Mapped[datetime]
    by: Mapped[str]
    do: Mapped[str]
    because: Mapped[str] = mapped_column(default="")


def holds_since(session: Session, device_id: int, since: datetime) -> list[HoldRow]:
    query = select(HoldRow).where(HoldRow.device_id == device_id, HoldRow.until_at >= since).order_by(HoldRow.id)
    return list(session.scalars(query))


def note_had(session: Session, device_id: int, at: datetime, *, by: str, do: str, because: str = "") -> None:
    """From then on it is this one's."""
    session.add(HadRow(device_id=device_id, at=at, by=by, do=do, because=because))


def had_lately(session: Session, device_id: int, count: int = 20) -> list[HadRow]:
    """The newest first."""
    query = select(HadRow).where(HadRow.device_id == device_id).order_by(HadRow.id.desc()).limit(count)
    return list(session.scalars(query))


def forget_holds(session: Session, device_id: int, before: datetime) -> None:
    """What lies so far back that no rule asks for it."""
    session.execute(delete(HoldRow).where(HoldRow.device_id == device_id, HoldRow.until_at < before))
