"""Timetables and links of a site."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime
from typing import Any, TypeVar

from sqlalchemy import ForeignKey, UniqueConstraint, func, select
from sqlalchemy.dialects.postgresql import JSONB, insert
from sqlalchemy.orm import Mapped, Session, mapped_column

from lantern.core.effects.message import Message
from lantern.core.events import Detector
from lantern.core.faults import Fault, Refused
from lantern.core.linking.arming import Armed
from lantern.core.linking.links import CAUSES, LinkRule, Sort
from lantern.core.logic.compounds import Compound
from lantern.core.logic.timetable import Timetable
from lantern.db.base import Base, now
from lantern.register.tables import DeviceRow
from lantern.revisions import Revised
from lantern.tune.tables import DetectorRow


class TimetableRow(Revised, Base):
    __tablename__ = "timetable"
    __table_args__ = (UniqueConstraint("site_id", "name"),)
    WHAT = "timetable"

    @property
    def model(self) -> Timetable:
        return Timetable.model_validate(self.body)


class LinkRow(Revised, Base):
    __tablename__ = "link"
    __table_args__ = (UniqueConstraint("site_id", "name"), {"info": {"told": "links"}})
    WHAT = "link"

    detector_id: Mapped[int | None] = mapped_column(ForeignKey("detector.id"), index=True)
    input: Mapped[str | None]  # of a module, instead of a detector
    compound: Mapped[str | None]  # instead of a detector

    @property
    def model(self) -> LinkRule:
        return LinkRule.model_validate(self.body)


class LinkBucketRow(Base):
    """Of a link with a limit: how many it may fire at `at` (None: it is full), and how often it was held back."""

    __tablename__ = "link_bucket"

    link_id: Mapped[int] = mapped_column(ForeignKey("link.id", ondelete="CASCADE"), primary_key=True)
    left: Mapped[float]
    at: Mapped[datetime | None]
    held: Mapped[int]


def bucket_rows(session: Session, site_id: int, names: Collection[str]) -> dict[str, LinkBucketRow]:
    """Return the buckets of these links of a site, by name, locked; one that was not there is made, full."""
    query = select(LinkRow.name, LinkRow.id).where(LinkRow.site_id == site_id, LinkRow.name.in_(names))
    out = {}
    for name, link_id in session.execute(query.order_by(LinkRow.name)):
        made = insert(LinkBucketRow).values(link_id=link_id, left=0.0, at=None, held=0)
        session.execute(made.on_conflict_do_nothing())
        out[name] = session.get_one(LinkBucketRow, link_id, with_for_update=True)
    return out


def held_back(session: Session, link_ids: Collection[int]) -> dict[int, int]:
    """Return how often each of these links was held back; those that never were are left out."""
    query = select(LinkBucketRow.link_id, LinkBucketRow.held).where(LinkBucketRow.link_id.in_(link_ids))
    return {link_id: held for link_id, held in session.execute(query) if held}


class CompoundRow(Revised, Base):
    """Its body is one of the `compounds` of a site's file."""

    __tablename__ = "compound"
    __table_args__ = (UniqueConstraint("site_id", "name"), {"info": {"told": "compounds"}})
    WHAT = "compound"

    @property
    def model(self) -> Compound:
        return Compound.model_validate(self.body)


class MessageRow(Revised, Base):
    """Its body is one of the `messages` of a site's file."""

    __tablename__ = "message"
    __table_args__ = (UniqueConstraint("site_id", "name"),)
    WHAT = "message"

    @property
    def model(self) -> Message:
        return Message.model_validate(self.body)


class MessageSoundRow(Base):
    """What a message of a file is, as it came. `facts`: as `Measured` has them, and what it came as."""

    __tablename__ = "message_sound"

    message_id: Mapped[int] = mapped_column(ForeignKey("message.id", ondelete="CASCADE"), primary_key=True)
    media: Mapped[str]
    data: Mapped[bytes]
    facts: Mapped[dict[str, Any]] = mapped_column(JSONB)
    at: Mapped[datetime] = mapped_column(default=now)


@dataclass(frozen=True)
class NamedCause:
    """An input of a module of the site, or a compound, as what links listen to."""

    site_id: int
    what: Sort  # never a detector, which is a row of its own
    name: str


Cause = DetectorRow | NamedCause
Row = TypeVar("Row", LinkRow, TimetableRow, CompoundRow, MessageRow)
Held = TypeVar("Held", CompoundRow, MessageRow)


def named(cause: Cause) -> dict[str, str | None]:
    """The cause as a link's document has it."""
    what = cause.what if isinstance(cause, NamedCause) else "detector"
    return {each: cause.name if each == what else None for each in CAUSES}


def rows_of(session: Session, table: type[Held], site_id: int) -> list[Held]:
    """Return a site's compounds, or its messages, in the order in which they were made."""
    return list(session.scalars(select(table).where(table.site_id == site_id).order_by(table.id)))


def lengths_of(session: Session, site_id: int) -> dict[str, float]:
    """Return how long each of a site's messages lasts, in s."""
    return {row.name: row.model.length_s for row in rows_of(session, MessageRow, site_id)}


def timetables_of(session: Session, site_id: int) -> list[TimetableRow]:
    return list(
        session.scalars(select(TimetableRow).where(TimetableRow.site_id == site_id).order_by(TimetableRow.name))
    )


def hours_named(session: Session, site_id: int, name: str) -> Timetable | None:
    """Return a site's timetable of that name; None: it has none."""
    row = session.scalar(select(TimetableRow).where(TimetableRow.site_id == site_id, TimetableRow.name == name))
    return None if row is None else row.model


def hours_of(session: Session, site_id: int, detector: Detector) -> Timetable | None:
    """The detector's own hours; None: all are. Raises `Refused` for a timetable that the site does not have."""
    if detector.timetable is None:
        return None
    rows = {row.name: row for row in timetables_of(session, site_id)}
    if detector.timetable not in rows:
        known = ", ".join(rows) or "none is there yet"
        what = f"the site has no timetable {detector.timetable!r}"
        raise Refused([Fault("detector: timetable", what, f"empty (always), or one of: {known}")])
    return rows[detector.timetable].model


def links_of(session: Session, detector_id: int) -> list[LinkRow]:
    return list(session.scalars(select(LinkRow).where(LinkRow.detector_id == detector_id).order_by(LinkRow.name)))


def links_of_site(session: Session, site_id: int) -> list[LinkRow]:
    """Return all links of a site, of detectors and of inputs, by their names."""
    return list(session.scalars(select(LinkRow).where(LinkRow.site_id == site_id).order_by(LinkRow.name)))


def row_named(session: Session, table: type[Row], site_id: int, name: str) -> Row:
    """Return a site's link or timetable of that name; raises `NoResultFound` where there is none."""
    return session.scalars(select(table).where(table.site_id == site_id, table.name == name)).one()


def links_of_named(session: Session, cause: NamedCause) -> list[LinkRow]:
    """Return those that listen to an input or to a compound."""
    column = LinkRow.input if cause.what == "input" else LinkRow.compound
    query = select(LinkRow).where(LinkRow.site_id == cause.site_id, column == cause.name)
    return list(session.scalars(query.order_by(LinkRow.name)))


def armed_links(session: Session, site_id: int, detector_id: int) -> list[Armed]:
    """A detector's links with their timetables, ready for rehearsal and for the engine."""
    timetables = {row.name: row.model for row in timetables_of(session, site_id)}
    models, messages = [row.model for row in links_of(session, detector_id)], lengths_of(session, site_id)
    return [Armed(link, timetables[link.timetable] if link.timetable else None, messages) for link in models]


def links_of_everywhere(session: Session) -> list[LinkRow]:
    """The links of all sites, by name."""
    return list(session.scalars(select(LinkRow).order_by(LinkRow.name)))


def compounds_of_everywhere(session: Session) -> dict[int, list[Compound]]:
    """The compounds of all sites, by site, in the order in which they were made."""
    out: dict[int, list[Compound]] = defaultdict(list)
    for row in session.scalars(select(CompoundRow).order_by(CompoundRow.id)):
        out[row.site_id].append(row.model)
    return dict(out)


def lengths_of_everywhere(session: Session) -> dict[int, dict[str, float]]:
    """How long each message of each site lasts, in s."""
    out: dict[int, dict[str, float]] = defaultdict(dict)
    for row in session.scalars(select(MessageRow)):
        out[row.site_id][row.name] = row.model.length_s
    return dict(out)


def timetables_of_everywhere(session: Session) -> dict[tuple[int, str], Timetable]:
    """The timetables of all sites, by site and name."""
    return {(row.site_id, row.name): row.model for row in session.scalars(select(TimetableRow))}


def links_of_inputs(session: Session, site_id: int, names: Collection[str]) -> list[LinkRow]:
    """Those that listen to inputs of these names."""
    query = select(LinkRow).where(LinkRow.site_id == site_id, LinkRow.input.in_(names))
    return list(session.scalars(query.order_by(LinkRow.name)))


def count_untied(session: Session, site_id: int) -> int:
    """Return how many detectors in use are tied to no output."""
    query = select(func.count(DetectorRow.id)).join(DetectorRow.device).where(DetectorRow.site_id == site_id)
    in_use = (DetectorRow.retired.is_(False), DeviceRow.retired.is_(False))
    tied = select(LinkRow.detector_id).where(LinkRow.site_id == site_id, LinkRow.detector_id.is_not(None))
    return session.scalar(query.where(*in_use, DetectorRow.id.not_in(tied))) or 0
