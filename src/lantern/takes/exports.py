"""Takes as files, made by a worker: held in the store for an hour, for whoever asked to fetch them."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, delete, insert, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from lantern.db.base import Base, now, transaction
from lantern.db.work import Record, Tell, WorkRow, carry_out, teller
from lantern.takes.export import export_take
from lantern.takes.tables import TakeRow

PART_BYTES = 8 * 1024 * 1024
KEPT = timedelta(hours=1)
WHOLE = 1000  # of progress: one half is written, the other put into the store


class ExportRow(WorkRow, Base):
    """A take that is made a zip; the page follows this row. A take has one at most."""

    __tablename__ = "take_export"

    id: Mapped[int] = mapped_column(primary_key=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("take.id", ondelete="CASCADE"), index=True)
    bytes: Mapped[int] = mapped_column(BigInteger, default=0)

    def as_dict(self) -> dict[str, Any]:
        return {
            "id": self.id, "take": self.take_id, "state": self.state, "open": self.open, "done": self.done,
            "total": self.total, "bytes": self.bytes, "faults": self.faults,
        }  # fmt: skip


class ExportPartRow(Base):
    """A part of the zip, here so that a worker on any machine can make it."""

    __tablename__ = "take_export_part"

    export_id: Mapped[int] = mapped_column(ForeignKey("take_export.id", ondelete="CASCADE"), primary_key=True)
    part: Mapped[int] = mapped_column(primary_key=True)
    data: Mapped[bytes]


def begin_export(session: Session, take: TakeRow) -> tuple[ExportRow, bool]:
    """Return the export of a take, and whether it is a new one: what is under way is followed, what was made before is made anew."""
    held = session.scalars(select(ExportRow).where(ExportRow.take_id == take.id).with_for_update()).all()
    under_way = next((row for row in held if row.open), None)
    if under_way is not None:
        return under_way, False
    for row in held:
        session.delete(row)
    made = ExportRow(take_id=take.id, state="waiting", faults=[])
    session.add(made)
    session.flush()
    return made, True


def run_export(export_id: int, folder: Path) -> None:
    """Write the zip by way of an empty folder, and put it into the store."""
    tell = teller(ExportRow, export_id)

    def work(row: ExportRow) -> Record[ExportRow]:
        path = folder / "take.zip"
        with transaction() as session:
            take = session.get_one(TakeRow, row.take_id)
            export_take(session, take, path, lambda done, of: tell(WHOLE * done // (2 * of), WHOLE))
        size = path.stat().st_size
        _put(export_id, path, size, tell)

        def record(held: ExportRow) -> None:
            held.bytes = size

        return record

    carry_out(ExportRow, export_id, work)


def _put(export_id: int, path: Path, size: int, tell: Tell) -> None:
    with path.open("rb") as source, transaction() as session:
        session.execute(
            delete(ExportPartRow).where(ExportPartRow.export_id == export_id)
        )  # of an attempt that broke off
        part = 0
        while data := source.read(PART_BYTES):
            session.execute(insert(ExportPartRow), {"export_id": export_id, "part": part, "data": data})
            part += 1
            tell((WHOLE + WHOLE * min(part * PART_BYTES, size) // size) // 2, WHOLE)


def drop_exports_of(session: Session, take_id: int) -> None:
    """What was made of a take holds it as it was: let go of it."""
    session.execute(delete(ExportRow).where(ExportRow.take_id == take_id))


def parts_of(export_id: int) -> Iterator[bytes]:
    """Yield the zip part by part; each is read in a transaction of its own, for whoever fetches may be slow."""
    part = 0
    while True:
        with transaction() as session:
            data = session.scalar(
                select(ExportPartRow.data).where(ExportPartRow.export_id == export_id, ExportPartRow.part == part)
            )
        if data is None:
            return
        yield data
        part += 1


def drop_old_exports() -> None:
    """Take out of the store what nobody needs any more."""
    with transaction() as session:
        session.execute(delete(ExportRow).where(ExportRow.created < now() - KEPT))
