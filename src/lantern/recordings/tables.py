"""Recordings of live devices: what is under way, what it was for, what became of it; when to record; verdicts on what was live."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, Index, UniqueConstraint, exists, func, select
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from lantern.db.base import Base, now
from lantern.db.work import WorkRow
from lantern.people.tables import User
from lantern.register.tables import DeviceRow, ids_of_devices
from lantern.revisions import RevisionRow
from lantern.takes.tables import TakeRow, idle_takes
from lantern.tune.tables import is_judged_on

OPEN = ("recording", "waiting", "running")  # states of those that are no takes yet


class RecordingRow(WorkRow, Base):
    """A stretch of a live device. The engine fills it part by part; a worker makes a take of it once it is over.

    `t0`: the device's own time of its first sample; `start`: ours. States: recording, waiting (it is over), running, done; or
    dropped, to make room.
    """

    __tablename__ = "recording"
    __table_args__ = (Index("ix_recording_device_id_id", "device_id", "id"),)
    UNBEGUN = ("recording", "waiting")

    id: Mapped[int] = mapped_column(primary_key=True)
    device_id: Mapped[int] = mapped_column(ForeignKey("device.id"))
    signal: Mapped[str]
    why: Mapped[str]
    t0: Mapped[float]
    start: Mapped[datetime]
    facts: Mapped[dict[str, Any]]
    samples: Mapped[int] = mapped_column(default=0)
    length_s: Mapped[float] = mapped_column(default=0.0)
    packed_bytes: Mapped[int] = mapped_column(BigInteger, default=0)
    lost: Mapped[int] = mapped_column(default=0)  # samples for which there was no room while the store was slow
    clock_s: Mapped[float | None]  # how far the device's clock is ahead of ours
    ended: Mapped[str] = mapped_column(default="")  # why
    take_id: Mapped[int | None] = mapped_column(ForeignKey("take.id", ondelete="SET NULL"), index=True)
    device: Mapped[DeviceRow] = relationship()
    take: Mapped[TakeRow | None] = relationship()


class RecordedPartRow(Base):
    """Some samples of a recording under way, packed as blocks of a take are."""

    __tablename__ = "recorded_part"

    recording_id: Mapped[int] = mapped_column(ForeignKey("recording.id", ondelete="CASCADE"), primary_key=True)
    first: Mapped[int] = mapped_column(primary_key=True)  # samples before it
    count: Mapped[int]
    packed: Mapped[int]  # how many the packed block holds, which is not the same where a sample shows several things
    facts: Mapped[dict[str, Any]]
    times: Mapped[bytes]  # of its samples, s from the recording's beginning
    data: Mapped[bytes]


class RecordingPlanRow(Base):
    """The plan by which a device is recorded without being asked."""

    __tablename__ = "recording_plan"

    device_id: Mapped[int] = mapped_column(ForeignKey("device.id"), primary_key=True)
    around: Mapped[bool] = mapped_column(default=False)  # each event
    before_s: Mapped[float] = mapped_column(default=10.0)
    after_s: Mapped[float] = mapped_column(default=20.0)
    timetable: Mapped[str] = mapped_column(default="")
    wide_from: Mapped[datetime | None]  # a day around any activity
    wide_until: Mapped[datetime | None]
    wide_seen: Mapped[bool] = mapped_column(default=False)  # somebody has put the reminder away
    device: Mapped[DeviceRow] = relationship()


class LiveMarkRow(Base):
    """Somebody said of what was live: right, wrong, or missed. It becomes a mark on the recording that holds it."""

    __tablename__ = "live_mark"
    __table_args__ = (UniqueConstraint("event_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    device_id: Mapped[int] = mapped_column(ForeignKey("device.id"), index=True)
    detector_id: Mapped[int] = mapped_column(ForeignKey("detector.id"))
    event_id: Mapped[int | None] = mapped_column(ForeignKey("event.id"))
    verdict: Mapped[str]  # right, wrong, missed
    start: Mapped[datetime]  # by our clock; of an event the device's own times count
    end: Mapped[datetime]
    user_id: Mapped[int | None] = mapped_column(ForeignKey("user_account.id"))
    at: Mapped[datetime] = mapped_column(default=now)
    mark_id: Mapped[int | None] = mapped_column(ForeignKey("mark.id", ondelete="SET NULL"))
    user: Mapped[User | None] = relationship()


def recordings_of(session: Session, device_id: int, count: int = 30) -> list[RecordingRow]:
    """The newest first."""
    query = select(RecordingRow).where(RecordingRow.device_id == device_id).order_by(RecordingRow.id.desc())
    return list(session.scalars(query.limit(count)))


def plan_of(session: Session, device_id: int) -> RecordingPlanRow:
    """Return what is set, or what is set of a new device: nothing."""
    held = session.get(RecordingPlanRow, device_id)
    return held or RecordingPlanRow(
        device_id=device_id, around=False, before_s=10.0, after_s=20.0, timetable="", wide_seen=False
    )


def plans_by(session: Session, site_id: int, timetable: str) -> list[RecordingPlanRow]:
    """Those of the site's devices that go by this timetable."""
    query = select(RecordingPlanRow).join(DeviceRow).where(DeviceRow.site_id == site_id)
    return list(session.scalars(query.where(RecordingPlanRow.timetable == timetable)))


def marks_on(session: Session, event_ids: list[int]) -> list[LiveMarkRow]:
    """Return what was said of these events."""
    return list(session.scalars(select(LiveMarkRow).where(LiveMarkRow.event_id.in_(event_ids))))


def plans_of_everywhere(session: Session) -> list[RecordingPlanRow]:
    """Return what is to be recorded, on all sites."""
    return list(session.scalars(select(RecordingPlanRow)))


def days_over(session: Session) -> set[int]:
    """Devices of which a day is recorded, which nobody has looked at yet."""
    over = (RecordingPlanRow.wide_until <= now(), ~RecordingPlanRow.wide_seen)
    return set(session.scalars(select(RecordingPlanRow.device_id).where(*over)))


def used_bytes(session: Session, site_id: int) -> int:
    """Return what the recordings of a site take in the store."""
    mine = select(func.coalesce(func.sum(RecordingRow.packed_bytes), 0)).join(DeviceRow)
    here = RecordingRow.state.in_(OPEN) | ((RecordingRow.state == "done") & RecordingRow.take_id.is_not(None))
    return int(session.scalar(mine.where(DeviceRow.site_id == site_id, here)) or 0)


def oldest_idle(session: Session, site_id: int) -> RecordingRow | None:
    """The oldest that is a take now, and that nobody marked, typed a truth or counted on, or cited; None: there is none."""
    named = func.jsonb_build_object(
        "scores", func.jsonb_build_array(func.jsonb_build_object("take", RecordingRow.take_id))
    )
    cited = exists().where(RevisionRow.facts.cast(JSONB).contains(named))
    query = select(RecordingRow).join(DeviceRow).where(DeviceRow.site_id == site_id, RecordingRow.state == "done")
    query = query.where(RecordingRow.take_id.is_not(None), ~cited, idle_takes(RecordingRow.take_id))
    return session.scalar(query.where(~is_judged_on(RecordingRow.take_id)).order_by(RecordingRow.start).limit(1))


def parts_of_site(session: Session, site_id: int, signal: str) -> list[RecordedPartRow]:
    """The parts of recordings of a signal that are no takes yet."""
    query = select(RecordedPartRow).join(RecordingRow, RecordingRow.id == RecordedPartRow.recording_id)
    mine = query.where(RecordingRow.device_id.in_(ids_of_devices(site_id)), RecordingRow.signal == signal)
    return list(session.scalars(mine))
