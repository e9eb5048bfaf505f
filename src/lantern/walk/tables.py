"""Walk tests: what somebody tried on a live detector, and what came of it. A verdict is never changed."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey
from sqlalchemy.orm import Mapped, mapped_column, relationship

from lantern.db.base import Base, now
from lantern.people.tables import User


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
