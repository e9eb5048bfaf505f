"""Sites and their places, and long work on a whole site."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import ForeignKey, Select, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from lantern.db.base import Base
from lantern.db.work import WorkRow
from lantern.revisions import Subject, keep_beside

PLACE = "place"
LEAD_S = 30.0  # common practice, no source


class SiteRow(Base):
    __tablename__ = "site"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    zone: Mapped[str]
    live: Mapped[bool] = mapped_column(default=True)  # the engine runs it; else it is paused
    extras: Mapped[dict[str, Any]] = mapped_column(default=dict)  # of its file: subjects to come, kept as they are
    recording_mb: Mapped[int] = mapped_column(default=10_000)  # room for recordings
    lead_s: Mapped[float] = mapped_column(
        default=LEAD_S, server_default="30"
    )  # of a verdict: how early it may have begun
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
        """Return it as the pages have it."""
        return {
            key: getattr(self, key) for key in ("id", "what", "state", "open", "done", "total", "faults", "site_id")
        }


def site_of(session: Session, site_id: int) -> SiteRow:
    """Return a site that is known to be there."""
    return session.get_one(SiteRow, site_id)


def demo_site(session: Session) -> SiteRow | None:
    """The site whose devices are the stand-ins that ship with the program."""
    return session.scalar(select(SiteRow).where(SiteRow.demo).limit(1))


def other_sites(session: Session) -> list[str]:
    """The names of sites that are not the demo's."""
    return list(session.scalars(select(SiteRow.name).where(SiteRow.demo.is_(False))))


def sites_by_name(session: Session, among: Select[int] | None = None) -> list[SiteRow]:
    """Return all sites, or those whose numbers a query gives, by name."""
    query = select(SiteRow).order_by(SiteRow.name)
    return list(session.scalars(query if among is None else query.where(SiteRow.id.in_(among))))


def places_of(session: Session, site_id: int) -> list[PlaceRow]:
    """Return a site's places in their order."""
    return list(session.scalars(select(PlaceRow).where(PlaceRow.site_id == site_id).order_by(PlaceRow.position)))


def place_state(row: PlaceRow) -> dict[str, Any]:
    """Return what is kept of a place: its name, and all that is said of it."""
    return {"name": row.name, **row.extras}


def keep_place(
    session: Session, row: PlaceRow, *, before: Mapping[str, Any] | None, reason: str, user_id: int | None
) -> None:
    """Keep the state that a place now has. `before`: as `place_state` gave it; None: it is new."""
    subject = Subject(PLACE, row.id, row.site_id, row.name)
    keep_beside(session, subject, place_state(row), before=before, reason=reason, user_id=user_id)


def zones_of_sites(session: Session) -> dict[int, str]:
    """The time zone of every site."""
    return dict(session.execute(select(SiteRow.id, SiteRow.zone)).all())


def new_place(session: Session, site_id: int, name: str, *, position: int, extras: dict[str, Any]) -> PlaceRow:
    row = PlaceRow(site_id=site_id, name=name, position=position, extras=extras)
    session.add(row)
    session.flush()
    return row
