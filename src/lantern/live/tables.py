"""What happens live: events and effects (append-only), what each decision remembers, and how each device stands."""

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
    outcome: Mapped[str]  # fired, or why not
    object: Mapped[str | None]  # which one, where objects are watched
    direction: Mapped[str | None]
    device_t: Mapped[float | None]  # the device's own time of the sample that raised


class EffectRow(Base):
    """The outbox: one switching of one output, ordered by one event. Delivered once; written again only until then."""

    __tablename__ = "effect"
    __table_args__ = (
        UniqueConstraint("event_id", "device_id", "output", "active"),
        Index("ix_effect_waiting", "device_id", "due_at", postgresql_where=text("state = 'waiting'")),
        Index("ix_effect_holds", "device_id", "output", postgresql_where=text("holds")),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    event_id: Mapped[int] = mapped_column(ForeignKey("event.id"), index=True)
    device_id: Mapped[int] = mapped_column(ForeignKey("device.id"))
    output: Mapped[str]
    active: Mapped[bool]
    due_at: Mapped[datetime]
    expires_at: Mapped[datetime]
    state: Mapped[str]  # waiting, delivered, expired, dropped
    attempts: Mapped[int] = mapped_column(default=0)
    next_try_at: Mapped[datetime]
    delivered_at: Mapped[datetime | None]
    note: Mapped[str] = mapped_column(default="")
    holds: Mapped[bool] = mapped_column(default=False)  # an on that latches, until it is acknowledged


class OutputRow(Base):
    """What each output was last switched to, and by which effect, so that nobody need look through all effects."""

    __tablename__ = "output_state"

    device_id: Mapped[int] = mapped_column(ForeignKey("device.id"), primary_key=True)
    output: Mapped[str] = mapped_column(primary_key=True)
    active: Mapped[bool]
    effect_id: Mapped[int]
    at: Mapped[datetime]


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


def recent_events(session: Session, detector_id: int, count: int = 20) -> list[EventRow]:
    query = select(EventRow).where(EventRow.detector_id == detector_id).order_by(EventRow.id.desc()).limit(count)
    return list(session.scalars(query))


def effects_of(session: Session, event_ids: list[int]) -> list[EffectRow]:
    return list(session.scalars(select(EffectRow).where(EffectRow.event_id.in_(event_ids)).order_by(EffectRow.due_at)))
