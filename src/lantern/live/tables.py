"""What happens live: events and orders (append-only), what each decision remembers, and how each device stands."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import ForeignKey, Index, UniqueConstraint, select, text
from sqlalchemy.orm import Mapped, Session, mapped_column

from lantern.db.base import Base, now


class EventRow(Base):
    __tablename__ = "event"
    __table_args__ = (
        Index("ix_event_raised_at", "raised_at"),
        Index("ix_event_detector_id_id", "detector_id", "id"),
        Index("ix_event_open", "detector_id", "region", postgresql_where=text("cleared_at IS NULL")),
        {"info": {"told": "events"}},
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[UUID | None] = mapped_column(unique=True)  # made by who saw it: stored once, however often it is tried
    detector_id: Mapped[int | None] = mapped_column(ForeignKey("detector.id"))
    device_id: Mapped[int | None] = mapped_column(ForeignKey("device.id"), index=True)  # of an input's event
    input: Mapped[str | None]
    revision: Mapped[int]  # of the detector; 0 of an input
    region: Mapped[str]  # of an input's event: active or fault
    raised_at: Mapped[datetime]
    cleared_at: Mapped[datetime | None]
    cleared_by: Mapped[str | None]
    repeat: Mapped[bool]
    reading: Mapped[float]
    why: Mapped[dict[str, Any]]
    own: Mapped[dict[str, Any]] = mapped_column(default=dict)  # what only its family knows of it
    outcome: Mapped[str]  # fired, or why not, in a word or two
    because: Mapped[str] = mapped_column(default="")  # the same as a sentence, with its figures
    object: Mapped[str | None]  # which one, where objects are watched
    direction: Mapped[str | None]
    device_t: Mapped[float | None]  # the device's own time of the sample that raised


class OrderRow(Base):
    """The outbox: one effect ordered by one event of one thing, and how it stands. `core.linking` says what becomes of it."""

    __tablename__ = "effect_order"
    __table_args__ = (
        UniqueConstraint("event_id", "link", "device_id", "thing"),
        Index("ix_effect_order_open", "device_id", postgresql_where=text("stage <> 'over'")),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    event_id: Mapped[int] = mapped_column(ForeignKey("event.id"), index=True)
    link: Mapped[str]
    device_id: Mapped[int] = mapped_column(ForeignKey("device.id"))
    thing: Mapped[str]  # of the device: an output
    at: Mapped[datetime]  # for which it is ordered
    length_s: Mapped[float | None]  # None: until somebody acknowledges it
    priority: Mapped[int]
    expire_s: Mapped[float]
    stage: Mapped[str]  # ordered, waiting, running, over
    from_at: Mapped[datetime | None]
    to_at: Mapped[datetime | None]
    result: Mapped[str | None]
    because: Mapped[str] = mapped_column(default="")


class OutputRow(Base):
    """What each output last said that it is, and how often it has been asked in vain since."""

    __tablename__ = "output_state"

    device_id: Mapped[int] = mapped_column(ForeignKey("device.id"), primary_key=True)
    output: Mapped[str] = mapped_column(primary_key=True)
    active: Mapped[bool]
    at: Mapped[datetime]
    attempts: Mapped[int] = mapped_column(default=0)
    next_try_at: Mapped[datetime | None]
    error: Mapped[str] = mapped_column(default="")


class InputRow(Base):
    """What an input was last known to be, written with the event that came of it, so that a restart raises nothing twice."""

    __tablename__ = "input_state"

    device_id: Mapped[int] = mapped_column(ForeignKey("device.id"), primary_key=True)
    input: Mapped[str] = mapped_column(primary_key=True)
    state: Mapped[str]
    at: Mapped[datetime]


class DecisionRow(Base):
    """What a live decision remembers, written with each event, so that a restart neither forgets nor raises twice."""

    __tablename__ = "decision"

    detector_id: Mapped[int] = mapped_column(ForeignKey("detector.id"), primary_key=True)
    region: Mapped[str] = mapped_column(primary_key=True)
    revision: Mapped[int]
    state: Mapped[dict[str, Any]]
    at: Mapped[datetime] = mapped_column(default=now, onupdate=now)


class DeviceStateRow(Base):
    """How a device stands: reachable or not, since when, and what it last said."""

    __tablename__ = "device_state"

    device_id: Mapped[int] = mapped_column(ForeignKey("device.id"), primary_key=True)
    reachable: Mapped[bool]
    since: Mapped[datetime]
    said: Mapped[dict[str, Any]]


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


def recent_events(session: Session, detector_id: int, count: int = 20) -> list[EventRow]:
    query = select(EventRow).where(EventRow.detector_id == detector_id).order_by(EventRow.id.desc()).limit(count)
    return list(session.scalars(query))


def orders_of(session: Session, event_ids: list[int]) -> list[OrderRow]:
    query = select(OrderRow).where(OrderRow.event_id.in_(event_ids))
    return list(session.scalars(query.order_by(OrderRow.at, OrderRow.id)))
