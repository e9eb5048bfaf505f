"""Where a head looked, as its device said it while the engine ran: kept for a while, so that a day and a driven way can be shown as they were."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

from sqlalchemy import BigInteger, ForeignKey, Index, delete, func, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from lantern.core.watch import Aim
from lantern.db.base import Base

KEPT_DAYS = 8
SILENT_S = 90.0  # a look that was not said anew for so long is none: the engine was away


class LookRow(Base):
    """From then on it looked there, in degrees of the site; all three empty: nobody knew."""

    __tablename__ = "head_look"
    __table_args__ = (Index("ix_head_look_device_id_at", "device_id", "at"),)

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    device_id: Mapped[int] = mapped_column(ForeignKey("device.id", ondelete="CASCADE"))
    at: Mapped[datetime]
    pan_deg: Mapped[float | None]
    tilt_deg: Mapped[float | None]
    zoom: Mapped[float | None]

    @property
    def aim(self) -> Aim | None:
        if self.pan_deg is None or self.tilt_deg is None or self.zoom is None:
            return None
        return Aim(self.pan_deg, self.tilt_deg, self.zoom)


def note_look(session: Session, device_id: int, at: datetime, aim: Aim | None) -> None:
    """From then on it looks there; None: nobody knows."""
    pan_deg, tilt_deg, zoom = aim or (None, None, None)
    session.add(LookRow(device_id=device_id, at=at, pan_deg=pan_deg, tilt_deg=tilt_deg, zoom=zoom))


def looks_between(session: Session, device_id: int, since: datetime, until: datetime) -> list[LookRow]:
    """Return them in order of time, with the last one before `since`, if that still held then."""
    held = select(func.max(LookRow.at)).where(
        LookRow.device_id == device_id, LookRow.at <= since, LookRow.at > since - timedelta(seconds=SILENT_S)
    )
    first = session.scalar(held) or since
    query = select(LookRow).where(LookRow.device_id == device_id, LookRow.at >= first, LookRow.at < until)
    return list(session.scalars(query.order_by(LookRow.at, LookRow.id)))


def forget_looks(session: Session, device_id: int, now: datetime) -> None:
    session.execute(delete(LookRow).where(LookRow.device_id == device_id, LookRow.at < now - timedelta(days=KEPT_DAYS)))


def spans(rows: Sequence[LookRow], until: datetime) -> list[tuple[datetime, datetime, Aim | None]]:
    """Return from when until when it looked where; None: nobody knew. `rows`: in order of time."""
    out: list[tuple[datetime, datetime, Aim | None]] = []
    for n, row in enumerate(rows):
        after = rows[n + 1].at if n + 1 < len(rows) else until
        silent = row.at + timedelta(seconds=SILENT_S)
        out.append((row.at, min(after, silent), row.aim))
        if after > silent:
            out.append((silent, after, None))
    return out
