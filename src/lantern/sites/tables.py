"""Sites and their places, and long work on a whole site."""

from __future__ import annotations

from typing import Any

from sqlalchemy import ForeignKey, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from lantern.db.base import Base
from lantern.db.work import WorkRow


class SiteRow(Base):
    __tablename__ = "site"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    zone: Mapped[str]
    live: Mapped[bool] = mapped_column(default=True)  # the engine runs it; else it is paused
    extras: Mapped[dict[str, Any]] = mapped_column(default=dict)  # of its file: subjects to come, kept as they are
    recording_mb: Mapped[int] = mapped_column(default=10_000)  # room for recordings
    demo: Mapped[bool] = mapped_column(default=False)  # its devices are the stand-ins that ship with the program
    places: Mapped[list[PlaceRow]] = relationship(back_populates="site", order_by="PlaceRow.position")


class PlaceRow(Base):
    __tablename__ = "place"

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id"))
    name: Mapped[str]
    position: Mapped[int]
    extras: Mapped[dict[str, Any]] = mapped_column(default=dict)
    site: Mapped[SiteRow] = relationship(back_populates="places")


class SiteJobRow(WorkRow, Base):
    """Work on a whole site that takes long, done by a worker: the demo, set up."""

    __tablename__ = "site_job"

    id: Mapped[int] = mapped_column(primary_key=True)
    what: Mapped[str]
    site_id: Mapped[int | None] = mapped_column(ForeignKey("site.id", ondelete="SET NULL"))

    def as_dict(self) -> dict[str, Any]:
        """As the pages have it."""
        return {
            key: getattr(self, key) for key in ("id", "what", "state", "open", "done", "total", "faults", "site_id")
        }


def site_of(session: Session, site_id: int) -> SiteRow:
    """Return a site that is known to be there."""
    return session.get_one(SiteRow, site_id)


def demo_site(session: Session) -> SiteRow | None:
    """The site whose devices are the stand-ins that ship with the program."""
    return session.scalar(select(SiteRow).where(SiteRow.demo).limit(1))
