"""Takes with their frames in compressed blocks, their marks, and imports under way."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import asdict, dataclass, fields
from datetime import datetime
from typing import TYPE_CHECKING, Any

import numpy as np
from sqlalchemy import ColumnElement, ForeignKey, Index, Select, and_, delete, exists, func, literal, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Mapped, Session, mapped_column, object_session, relationship

from lantern.core.counted import CountedByHand, HandCount
from lantern.core.faults import Fault, Refused
from lantern.core.scoring.marks import Label, Mark
from lantern.core.signals import Floats
from lantern.core.truths import Said
from lantern.core.units import short
from lantern.db.base import Base, now
from lantern.db.work import WorkRow
from lantern.formats.sidecar import FIRST, LAST
from lantern.register.tables import DeviceRow

CLOCK_S = 0.5  # a clock farther off is told; common practice, no source
if TYPE_CHECKING:
    from lantern.tune.tables import DetectorRow


class TakeFacts:
    """What follows from the facts of a take."""

    __slots__ = ()

    facts: Any
    length_s: Any
    samples: Any

    @property
    def width(self) -> int | None:
        """Return the width of its picture, where it has one."""
        width: int | None = self.facts.get("width")
        return width

    @property
    def height(self) -> int | None:
        height: int | None = self.facts.get("height")
        return height

    @property
    def is_recording(self) -> bool:
        """Return whether it was recorded here, from a live device."""
        return "clock_s" in self.facts

    @property
    def clock_caution(self) -> str:
        """Return what to know of its device's clock; empty: nothing."""
        ahead_s = self.facts.get("clock_s") or 0.0
        if abs(ahead_s) <= CLOCK_S:
            return ""
        return f"The device's clock was {short(abs(ahead_s), 3)} s {'ahead of' if ahead_s > 0 else 'behind'} ours"

    @property
    def made_by(self) -> str:
        """Return the name and version of what made its numbers, where its signal knows."""
        return self.facts.get("algorithm") or ""

    @property
    def interval_s(self) -> float:
        return self.length_s / max(self.samples - 1, 1) if math.isfinite(self.length_s) else 0.0


class TakeRow(TakeFacts, Base):
    __tablename__ = "take"
    __table_args__ = {"info": {"told": "takes"}}  # noqa: RUF012 - SQLAlchemy's own way

    id: Mapped[int] = mapped_column(primary_key=True)
    device_id: Mapped[int] = mapped_column(ForeignKey("device.id"), index=True)
    name: Mapped[str]
    signal: Mapped[str]  # its name in the register
    stored_start: Mapped[datetime] = mapped_column("start")
    samples: Mapped[int]
    length_s: Mapped[float]
    facts: Mapped[dict[str, Any]]  # what its signal says of it (`Signal.facts`)
    packed_bytes: Mapped[int]
    edition: Mapped[int] = mapped_column(default=1, server_default="1")  # of its samples
    set_aside: Mapped[bool] = mapped_column(default=False)  # not tuned on; kept to validate with
    created: Mapped[datetime] = mapped_column(default=now)
    times: Mapped[bytes] = mapped_column(deferred=True)
    still: Mapped[bytes | None] = mapped_column(deferred=True)  # a picture of the scene that objects move in
    still_type: Mapped[str | None]
    device: Mapped[DeviceRow] = relationship()

    @property
    def start_is_known(self) -> bool:
        """Imports refuse others; a row that is there all the same must not keep its device's pages from being shown."""
        return FIRST <= self.stored_start < LAST

    @property
    def start(self) -> datetime:
        """Return when it began; where that cannot be, the first moment that could be, for all that counts from it."""
        return self.stored_start if self.start_is_known else FIRST

    @property
    def t_s(self) -> Floats:
        return np.frombuffer(self.times, dtype="<f8").astype(np.float64)


class FrameBlockRow(Base):
    """Some samples of a take, packed as its signal packs them (`signals/signal.py: Signal.pack`)."""

    __tablename__ = "frame_block"

    take_id: Mapped[int] = mapped_column(ForeignKey("take.id", ondelete="CASCADE"), primary_key=True)
    first: Mapped[int] = mapped_column(primary_key=True)
    count: Mapped[int]
    data: Mapped[bytes]


class ReductionRow(Base):
    """A region's reduction over a take, done once and kept: the same dial on the same region never reads frames again."""

    __tablename__ = "reduction"

    take_id: Mapped[int] = mapped_column(ForeignKey("take.id", ondelete="CASCADE"), primary_key=True)
    key: Mapped[str] = mapped_column(primary_key=True)
    made: Mapped[datetime] = mapped_column(default=now)
    data: Mapped[bytes]


class MarkRow(Base):
    __tablename__ = "mark"
    __table_args__ = {"info": {"told": "marks"}}  # noqa: RUF012 - SQLAlchemy's own way

    id: Mapped[int] = mapped_column(primary_key=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("take.id", ondelete="CASCADE"), index=True)
    start_s: Mapped[float]
    end_s: Mapped[float]
    label: Mapped[str]
    detector_id: Mapped[int | None] = mapped_column(ForeignKey("detector.id", ondelete="CASCADE"), index=True)
    named: Mapped[str] = mapped_column("detector", default="")  # of a file: a detector that the site does not have yet
    note: Mapped[str] = mapped_column(default="")
    lead_s: Mapped[float] = mapped_column(default=0.0, server_default="0")  # how long before it the beginning is open
    of: Mapped[DetectorRow | None] = relationship("DetectorRow", lazy="joined")

    @property
    def detector(self) -> str:
        """The name of the one that it speaks of; empty: of any."""
        return self.named if self.of is None else self.of.name

    def as_mark(self) -> Mark:
        label: Label = self.label  # type: ignore[assignment]
        return Mark(self.start_s, self.end_s, label, self.detector, self.note, self.lead_s)

    def as_dict(self) -> dict[str, Any]:
        """Return it as the pages have it."""
        return {"id": self.id, **asdict(self.as_mark())}


class TruthRow(Base):
    """What something on a take truly was, as somebody typed it: the object that a device named, at a time when it was there."""

    __tablename__ = "truth"

    take_id: Mapped[int] = mapped_column(ForeignKey("take.id", ondelete="CASCADE"), primary_key=True)
    object: Mapped[str] = mapped_column(primary_key=True)
    at_s: Mapped[float] = mapped_column(primary_key=True)
    text: Mapped[str]
    agreed: Mapped[bool] = mapped_column(default=False, server_default="false")  # to what the machine said
    user_id: Mapped[int | None] = mapped_column(ForeignKey("user_account.id"))
    at: Mapped[datetime] = mapped_column(default=now)

    @property
    def said(self) -> Said:
        return Said(self.object, self.at_s, self.text, self.agreed)


class HandCountRow(Base):
    """What somebody counted by hand on a take: passages with their times (a tally), or a file's intervals."""

    __tablename__ = "hand_count"

    id: Mapped[int] = mapped_column(primary_key=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("take.id", ondelete="CASCADE"), index=True)
    who: Mapped[str]
    passages: Mapped[list[Any]]  # of a tally: [t_s, "in" or "out"] each
    intervals: Mapped[list[Any]]  # of a file: [start_s, end_s, in, out] each
    created: Mapped[datetime] = mapped_column(default=now)

    @property
    def counted(self) -> CountedByHand:
        intervals = tuple(HandCount(start, end, into, left) for start, end, into, left in self.intervals)
        return CountedByHand(self.who, tuple((t, way) for t, way in self.passages), intervals)


class ImportRow(WorkRow, Base):
    """An upload and what became of it; the page follows this row, so it survives a reload."""

    __tablename__ = "import_job"
    __table_args__ = (Index("ix_import_job_state", "state"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id"))
    name: Mapped[str]
    received_bytes: Mapped[int] = mapped_column(default=0)
    notes: Mapped[list[Any]]  # what was not as one might expect, and did no harm
    take_id: Mapped[int | None] = mapped_column(ForeignKey("take.id", ondelete="SET NULL"))
    asked: Mapped[dict[str, Any]] = mapped_column(default=dict)  # what a file without a sidecar shows of itself
    answers: Mapped[dict[str, Any]] = mapped_column(default=dict)  # the sidecar that was made of the answers
    device_id: Mapped[int | None] = mapped_column(ForeignKey("device.id", ondelete="SET NULL"))  # chosen

    UNBEGUN = ("uploading", "waiting", "asking")
    BUSY = "reading"

    def finish(self, state: str, faults: list[dict[str, Any]] | None = None) -> None:
        """Say how it ended; what was uploaded is not needed any more."""
        super().finish(state, faults)
        session = object_session(self)
        if session is not None:
            session.execute(delete(UploadPartRow).where(UploadPartRow.import_id == self.id))


class UploadPartRow(Base):
    """A part of an uploaded file, here so that a worker on any machine can read it; gone when the import ends."""

    __tablename__ = "upload_part"

    import_id: Mapped[int] = mapped_column(ForeignKey("import_job.id", ondelete="CASCADE"), primary_key=True)
    file: Mapped[str] = mapped_column(primary_key=True)
    part: Mapped[int] = mapped_column(primary_key=True)
    data: Mapped[bytes]


@dataclass(frozen=True, slots=True)
class ListedTake(TakeFacts):
    """What lists show of a take: a page of hundreds does without whole rows."""

    id: int
    device_id: int
    code: str  # of its device
    name: str
    signal: str
    stored_start: datetime
    samples: int
    length_s: float
    facts: dict[str, Any]
    packed_bytes: int
    still_type: str | None

    @property
    def start(self) -> datetime | None:
        """Return when it began; None where that cannot be."""
        return self.stored_start if FIRST <= self.stored_start < LAST else None


LISTED_COLUMNS = tuple(field.name for field in fields(ListedTake))


def listed_takes(session: Session, site_id: int, ids: Sequence[int] | None = None) -> list[ListedTake]:
    """Return takes of the site, by their devices' codes and in the order of time; with `ids` those, in that order."""
    columns = [DeviceRow.code if name == "code" else getattr(TakeRow, name) for name in LISTED_COLUMNS]
    query = select(*columns).join(TakeRow.device).where(DeviceRow.site_id == site_id)
    if ids is not None:
        query = query.where(TakeRow.id.in_(ids))
    found = [ListedTake(*row) for row in session.execute(query.order_by(DeviceRow.code, TakeRow.stored_start))]
    return found if ids is None else sorted(found, key=lambda take: ids.index(take.id))


def takes_by_id(session: Session, take_ids: Sequence[int]) -> list[TakeRow]:
    """Return takes in the order of their numbers as given. Raises `Refused` unless all of them are there."""
    takes = [session.get(TakeRow, take_id) for take_id in take_ids]
    if not takes or any(take is None for take in takes):
        raise Refused(
            [Fault("takes", f"{list(take_ids)}: not all of them are there", "takes of the detector's device")]
        )
    return [take for take in takes if take is not None]


def takes_of_device(session: Session, device_id: int) -> list[TakeRow]:
    return list(session.scalars(select(TakeRow).where(TakeRow.device_id == device_id).order_by(TakeRow.stored_start)))


def takes_meanwhile(session: Session, take: TakeRow, signal: str) -> list[TakeRow]:
    """Return the takes of one signal that devices of the same site recorded while it lasted, in order of time."""
    query = select(TakeRow).join(DeviceRow).where(DeviceRow.site_id == take.device.site_id, TakeRow.signal == signal)
    found = session.scalars(query.order_by(TakeRow.stored_start))
    return [other for other in found if common_s(take, other) > 0]


def common_s(one: TakeRow, other: TakeRow) -> float:
    """Return for how long both were recorded at once; negative: how far apart they are."""
    later_s = (other.start - one.start).total_seconds()
    return min(one.length_s, later_s + other.length_s) - max(0.0, later_s)


def stale_caution(session: Session, take: TakeRow) -> str:
    """Return what to know where the numbers of the device's newest take are made by another version; empty: nothing."""
    if not take.made_by:
        return ""
    of_device = select(TakeRow.facts["algorithm"].astext).where(
        TakeRow.device_id == take.device_id, TakeRow.signal == take.signal
    )
    newest = session.scalar(of_device.order_by(TakeRow.stored_start.desc()).limit(1)) or ""
    if newest in ("", take.made_by):
        return ""
    return f"Stale: made by {take.made_by}, and the newest take of this device by {newest}; numbers of one say nothing of the other"


def makers_of_takes(session: Session, site_id: int) -> dict[int, tuple[int, str]]:
    """Return by take its device and what made its numbers, in order of time; those of which nobody knows are left out."""
    version = TakeRow.facts["algorithm"].astext
    query = select(TakeRow.id, TakeRow.device_id, version).join(DeviceRow).where(DeviceRow.site_id == site_id)
    rows = session.execute(query.where(version.is_not(None), version != "").order_by(TakeRow.stored_start, TakeRow.id))
    return {take_id: (device_id, made_by) for take_id, device_id, made_by in rows}


def evidence_of_device(session: Session, device_id: int) -> list[TakeRow]:
    """Takes that say something: those that were imported, and recordings on which somebody made a mark."""
    takes = takes_of_device(session, device_id)
    marked = set(session.scalars(select(MarkRow.take_id).where(MarkRow.take_id.in_([take.id for take in takes]))))
    return [take for take in takes if not take.is_recording or take.id in marked]


def hand_counts_of(session: Session, take_id: int) -> list[HandCountRow]:
    return list(
        session.scalars(
            select(HandCountRow).where(HandCountRow.take_id == take_id).order_by(HandCountRow.created, HandCountRow.id)
        )
    )


def marks_of(session: Session, take_id: int) -> list[MarkRow]:
    return list(
        session.scalars(select(MarkRow).where(MarkRow.take_id == take_id).order_by(MarkRow.start_s, MarkRow.id))
    )


def takes_of_signal(session: Session, site_id: int, signal: str) -> list[TakeRow]:
    """Return all of a site that hold it."""
    query = select(TakeRow).join(DeviceRow).where(DeviceRow.site_id == site_id, TakeRow.signal == signal)
    return list(session.scalars(query))


def count_takes(session: Session, *, site_id: int | None = None, device_id: int | None = None) -> int:
    """Return how many takes a site or a device has."""
    query = select(func.count(TakeRow.id)).join(DeviceRow)
    wanted = DeviceRow.site_id == site_id if device_id is None else TakeRow.device_id == device_id
    return session.scalar(query.where(wanted)) or 0


def marks_of_takes(session: Session, take_ids: Sequence[int]) -> dict[int, list[Any]]:
    """(take_id, label, start_s, end_s) of each mark, by take, in the order of time. One query."""
    shown = select(MarkRow.take_id, MarkRow.label, MarkRow.start_s, MarkRow.end_s)
    out: dict[int, list[Any]] = defaultdict(list)
    mine = shown.where(MarkRow.take_id.in_(take_ids))
    for mark in session.execute(mine.order_by(MarkRow.start_s, MarkRow.id)):
        out[mark.take_id].append(mark)
    return out


def take_over_marks(session: Session, site_id: int, name: str, detector_id: int) -> None:
    """Marks of files that named a detector before it was there speak of it from now on."""
    takes = select(TakeRow.id).join(DeviceRow).where(DeviceRow.site_id == site_id)
    waiting = update(MarkRow).where(MarkRow.take_id.in_(takes), MarkRow.detector_id.is_(None), MarkRow.named == name)
    session.execute(waiting.values(detector_id=detector_id, named="").execution_options(synchronize_session=False))


def idle_takes(take_id: Any) -> ColumnElement[bool]:
    """Return a condition: nobody has marked the take, typed a truth or counted on it. `take_id`: a column."""
    said = [exists().where(table.take_id == take_id) for table in (MarkRow, TruthRow, HandCountRow)]
    return and_(*(~each for each in said))


def truths_of_take(session: Session, take_id: int) -> list[TruthRow]:
    """Return what was typed as true on a take, by object and time."""
    query = select(TruthRow).where(TruthRow.take_id == take_id)
    return list(session.scalars(query.order_by(TruthRow.object, TruthRow.at_s)))


def keep_truth(session: Session, take_id: int, said: Said, *, user_id: int | None) -> TruthRow:
    """Keep what an object truly was, instead of what was said of it before."""
    values = {"text": said.text, "agreed": said.agreed, "user_id": user_id, "at": now()}
    made = insert(TruthRow).values(take_id=take_id, object=said.object, at_s=said.at_s, **values)
    kept = made.on_conflict_do_update(index_elements=["take_id", "object", "at_s"], set_=values)
    return session.scalars(kept.returning(TruthRow), execution_options={"populate_existing": True}).one()


def said_of_take(session: Session, take_id: int) -> dict[str, int]:
    """Return how much somebody said of a take, by what it is."""
    of_take = {"mark": MarkRow.take_id, "truth": TruthRow.take_id, "count by hand": HandCountRow.take_id}
    many = {
        what: session.scalar(select(func.count()).where(column == take_id)) or 0 for what, column in of_take.items()
    }
    return {what: count for what, count in many.items() if count}


def forget_truths(session: Session, take_id: int, text: str) -> None:
    """Take a text out of what was typed as true."""
    session.execute(delete(TruthRow).where(TruthRow.take_id == take_id, TruthRow.text == text))


def kept_columns(session: Session, take_id: int, keys: Sequence[str]) -> dict[str, bytes]:
    """Those of the columns worked out of a take that are kept, packed."""
    query = select(ReductionRow.key, ReductionRow.data).where(ReductionRow.take_id == take_id)
    return dict(session.execute(query.where(ReductionRow.key.in_(keys))).all())


def keep_column(session: Session, take_id: int, key: str, data: bytes, *, most: int) -> None:
    """Keep one more; the oldest go beyond so many."""
    made = insert(ReductionRow).values(take_id=take_id, key=key, data=data)
    session.execute(made.on_conflict_do_nothing())
    newest = select(ReductionRow.key).where(ReductionRow.take_id == take_id)
    surplus = newest.order_by(ReductionRow.made.desc()).offset(most).scalar_subquery()
    session.execute(delete(ReductionRow).where(ReductionRow.take_id == take_id, ReductionRow.key.in_(surplus)))


OF_TAKE = select(DeviceRow.site_id).join(TakeRow, TakeRow.device_id == DeviceRow.id)  # the site of a take


def take_of_blocks(session: Session, blocks: Select[int, int, bytes], **columns: Any) -> TakeRow:
    """A take whose blocks (first, count, packed) are in the store already: they are only copied."""
    take = TakeRow(**columns)
    session.add(take)
    session.flush()
    moved = blocks.add_columns(literal(take.id))
    session.execute(insert(FrameBlockRow).from_select(["first", "count", "data", "take_id"], moved))
    return take
