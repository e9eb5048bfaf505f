"""What a device said too late to count: kept, and nothing more."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from lantern.db.base import transaction
from lantern.live.tables import LateRow

MOST_KEPT = 10_000  # of a device; the oldest go


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
