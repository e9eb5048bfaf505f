"""Walk tests: what somebody tried on a live detector, and what came of it. A verdict is never changed."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from lantern.db.base import Base, now
from lantern.people.tables import User
from lantern.tune.tables import DetectorRow


class WalkTestRow(Base):
    __tablename__ = "walk_test"

    id: Mapped[int] = mapped_column(primary_key=True)
    detector_id: Mapped[int] = mapped_column(ForeignKey("detector.id"), index=True)
    revision: Mapped[int]
    what: Mapped[str]  # which test, by the name that its family gives it
    began: Mapped[datetime] = mapped_column(default=now)
    began_with: Mapped[dict[str, Any]]  # the readings then
    ended: Mapped[datetime | None]
    verdict: Mapped[str] = mapped_column(default="open")  # open, right, wrong
    words: Mapped[str] = mapped_column(default="")
    user_id: Mapped[int] = mapped_column(ForeignKey("user_account.id"))
    user: Mapped[User] = relationship()


def begin_test(
    session: Session, *, detector_id: int, revision: int, what: str, began_with: dict[str, Any], user: User
) -> WalkTestRow:
    """Somebody sets out to show something live."""
    row = WalkTestRow(detector_id=detector_id, revision=revision, what=what, began_with=began_with, user=user)
    session.add(row)
    session.flush()
    return row


OF_TEST = select(DetectorRow.site_id).join(WalkTestRow, WalkTestRow.detector_id == DetectorRow.id)  # the site of a test
