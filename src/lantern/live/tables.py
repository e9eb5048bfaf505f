"""What happens live: events and orders (append-only), what each decision remembers, and how each device stands."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from datetime import datetime
from typing import Any, NamedTuple
from uuid import UUID

from sqlalchemy import (
    ColumnElement,
    ForeignKey,
    Index,
    Select,
    UniqueConstraint,
    and_,
    delete,
    func,
    or_,
    select,
    text,
    update,
)
from sqlalchemy.orm import Mapped, Session, mapped_column

from lantern.db.base import Base, now
from lantern.register.tables import DeviceRow, ids_of_devices
from lantern.tune.tables import DetectorRow, ids_of_detectors

ASLEEP = "Outside its own timetable%"  # how the sentence of an event begins that its own hours put to sleep


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
    site_id: Mapped[int | None] = mapped_column(ForeignKey("site.id"))  # of a compound's event
    compound: Mapped[str | None]
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
    """The outbox: one effect ordered by one event of one thing, and how it stands. `core.linking` says what becomes of it. `do`: what
    sort of effect; `body`: its document; `names`: what its text says of the event.
    """

    __tablename__ = "effect_order"
    __table_args__ = (
        UniqueConstraint("event_id", "link", "device_id", "thing"),
        Index("ix_effect_order_open", "device_id", postgresql_where=text("stage <> 'over'")),
        Index("ix_effect_order_to_send", "do", postgresql_where=text("stage <> 'over'")),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    event_id: Mapped[int] = mapped_column(ForeignKey("event.id"), index=True)
    link: Mapped[str]
    device_id: Mapped[int | None] = mapped_column(ForeignKey("device.id"))  # None: it is done to no device of the site
    do: Mapped[str] = mapped_column(default="switch")
    thing: Mapped[str]  # of the device: an output; or the device, an address, roles
    body: Mapped[dict[str, Any]] = mapped_column(default=dict)
    names: Mapped[dict[str, Any]] = mapped_column(default=dict)
    attempts: Mapped[int] = mapped_column(default=0)  # how often it was sent in vain
    next_try_at: Mapped[datetime | None]
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


class Before(NamedTuple):
    """An event of before, as a compound needs it."""

    what: str  # detector, input
    name: str
    region: str
    object: str | None
    listed: str | None
    raised_at: datetime
    cleared_at: datetime | None


def parts_since(session: Session, site_id: int, since: datetime) -> list[Before]:
    """Return a site's events of detectors and inputs since then, and those that stand, in order; repeats and what slept are none."""
    name = func.coalesce(DetectorRow.name, EventRow.input)
    query = select(EventRow, name, DeviceRow.site_id).outerjoin(DetectorRow, DetectorRow.id == EventRow.detector_id)
    query = query.join(DeviceRow, DeviceRow.id == func.coalesce(EventRow.device_id, DetectorRow.device_id))
    mine = query.where(DeviceRow.site_id == site_id, EventRow.repeat.is_(False), EventRow.because.not_like(ASLEEP))
    recent = mine.where(or_(EventRow.raised_at >= since, EventRow.cleared_at.is_(None)))
    return [
        Before(
            "input" if row.input else "detector", named, row.region, row.object, row.own.get("list"), row.raised_at,
            row.cleared_at,
        )
        for row, named, _ in session.execute(recent.order_by(EventRow.raised_at, EventRow.id))
    ]  # fmt: skip


def raised_by_compounds(session: Session, site_id: int, since: datetime) -> list[tuple[str, float]]:
    """Return what a site's compounds raised since then: the name, and when, Unix seconds."""
    query = select(EventRow.compound, EventRow.raised_at).where(
        EventRow.site_id == site_id, EventRow.raised_at >= since
    )
    return [(str(name), round(at.timestamp(), 3)) for name, at in session.execute(query)]


def orders_of(session: Session, event_ids: list[int]) -> list[OrderRow]:
    query = select(OrderRow).where(OrderRow.event_id.in_(event_ids))
    return list(session.scalars(query.order_by(OrderRow.at, OrderRow.id)))


def standing_of_site(session: Session, site_id: int) -> list[tuple[int, bool, float | None]]:
    """(device, does it answer, when the engine wrote that, Unix seconds) of each device that the engine speaks to."""
    query = select(DeviceStateRow.device_id, DeviceStateRow.reachable, DeviceStateRow.said["at"].as_float())
    found = session.execute(query.where(DeviceStateRow.device_id.in_(ids_of_devices(site_id))))
    return [(device_id, reachable, at) for device_id, reachable, at in found]


def versions_said(session: Session, site_id: int) -> dict[int, str]:
    """Return by device what makes its numbers, as it last said; those that do not say are left out."""
    version = DeviceStateRow.said["algorithm"].astext
    query = select(DeviceStateRow.device_id, version).where(DeviceStateRow.device_id.in_(ids_of_devices(site_id)))
    return {device_id: made_by for device_id, made_by in session.execute(query) if made_by}


def outputs_that_are_on(session: Session, device_id: int, names: Collection[str]) -> list[str]:
    """Those of these outputs that are on, as they last said."""
    mine = (OutputRow.device_id == device_id, OutputRow.output.in_(names), OutputRow.active)
    return list(session.scalars(select(OutputRow.output).where(*mine)))


def forget_outputs(session: Session, device_id: int, names: Collection[str]) -> None:
    session.execute(delete(OutputRow).where(OutputRow.device_id == device_id, OutputRow.output.in_(names)))


def rename_outputs(session: Session, device_id: int, renamed: Mapping[str, str]) -> None:
    """Take along with an output's new name what it is, and what is still ordered of it."""
    stands = (OutputRow, OutputRow.output, OutputRow.device_id == device_id)
    switched = and_(OrderRow.device_id == device_id, OrderRow.do == "switch", OrderRow.stage != "over")
    is_open = (OrderRow, OrderRow.thing, switched)
    for table, named, which in (stands, is_open):  # by way of names that nothing has, for two may change places
        steps = [(old, f"\x1f{number}") for number, old in enumerate(renamed)]
        steps += [(f"\x1f{number}", new) for number, new in enumerate(renamed.values())]
        for old, new in steps:
            session.execute(update(table).where(which, named == old).values({named: new}))


def forget_inputs(session: Session, device_id: int, names: Collection[str]) -> None:
    session.execute(delete(InputRow).where(InputRow.device_id == device_id, InputRow.input.in_(names)))


def events_of_detectors(session: Session, detector_ids: Select[int]) -> list[EventRow]:
    """Those that hold something that only their family knows."""
    query = select(EventRow).where(EventRow.detector_id.in_(detector_ids), EventRow.own != {})
    return list(session.scalars(query))


def events_between(session: Session, device_id: int, first_t: float, last_t: float) -> list[EventRow]:
    """Return the events of a device's detectors, by the device's own time, its ends included; in that order."""
    query = select(EventRow).join(DetectorRow, DetectorRow.id == EventRow.detector_id)
    mine = query.where(DetectorRow.device_id == device_id, EventRow.device_t.between(first_t, last_t))
    return list(session.scalars(mine.order_by(EventRow.device_t)))


def events_named(session: Session, site_id: int, name: str) -> list[EventRow]:
    """Return those of a site's detectors that are about something of that name, in the order in which they raised."""
    query = select(EventRow).join(DetectorRow, DetectorRow.id == EventRow.detector_id)
    mine = query.where(DetectorRow.site_id == site_id, EventRow.object == name)
    return list(session.scalars(mine.order_by(EventRow.raised_at, EventRow.id)))


def late_of_site(session: Session, site_id: int) -> list[LateRow]:
    """Return all that came too late on a site."""
    return list(session.scalars(select(LateRow).where(LateRow.device_id.in_(ids_of_devices(site_id)))))


def of_site(site_id: int) -> ColumnElement[bool]:
    """Return a condition: an event is of a site."""
    detectors, devices = ids_of_detectors(site_id), ids_of_devices(site_id)
    return or_(EventRow.site_id == site_id, EventRow.detector_id.in_(detectors), EventRow.device_id.in_(devices))


_site = func.coalesce(EventRow.site_id, DetectorRow.site_id, DeviceRow.site_id)
_of_order = (
    select(_site)
    .join(OrderRow, OrderRow.event_id == EventRow.id)
    .outerjoin(DetectorRow, DetectorRow.id == EventRow.detector_id)
    .outerjoin(DeviceRow, DeviceRow.id == EventRow.device_id)
)
OWNER_OF_ORDER = (OrderRow.id, _of_order)
_of_event = select(DetectorRow.site_id).join(EventRow, EventRow.detector_id == DetectorRow.id)
OWNER_OF_EVENT = (EventRow.id, _of_event)  # what its number is of, and the query for its site
