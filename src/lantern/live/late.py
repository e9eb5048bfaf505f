"""What a device said too late to count: kept, and nothing more."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import ForeignKey, Index, delete, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from lantern.db.base import Base, now, transaction

MOST_KEPT = 10_000  # of a device; the oldest go


class LateRow(Base):
    """A sample as it came. `at`: the device's own time of it."""

    __tablename__ = "late_sample"
    __table_args__ = (Index("ix_late_sample_device_id_id", "device_id", "id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    device_id: Mapped[int] = mapped_column(ForeignKey("device.id"))
    signal: Mapped[str]
    at: Mapped[datetime]
    came_at: Mapped[datetime] = mapped_column(default=now)
    body: Mapped[dict[str, Any]]


def keep_late(device_id: int, signal: str, t: float, body: dict[str, Any]) -> None:
    """Keep one sample, by the device's clock of `t` (Unix seconds)."""
    with transaction() as session:
        at = datetime.fromtimestamp(t, UTC)
        session.add(LateRow(device_id=device_id, signal=signal, at=at, body=body))
        session.flush()
        own = select(LateRow.id).where(LateRow.device_id == device_id)
        oldest = own.order_by(LateRow.id.desc()).offset(MOST_KEPT).limit(1).scalar_subquery()
        session.execute(delete(LateRow).where(LateRow.device_id == device_id, LateRow.id <= oldest))


def late_of(session: Session, device_id: int, count: int = 20) -> list[LateRow]:
    """The last that came, the newest first."""
    query = select(LateRow).where(LateRow.device_id == device_id).order_by(LateRow.id.desc())
    return list(session.scalars(query.limit(count)))
