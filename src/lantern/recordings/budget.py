"""Room for recordings: so much a site, and what goes when it is used up. Imported takes never do."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import ColumnElement, Select, exists, func, select
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Session

from lantern.recordings.tables import RecordingRow
from lantern.register.tables import DeviceRow
from lantern.revisions import RevisionRow
from lantern.sites.tables import SiteRow
from lantern.takes.tables import HandCountRow, MarkRow, TakeRow, TruthRow
from lantern.tune.tables import JudgementRow

MB = 1_000_000
OPEN = ("recording", "waiting", "running")


@dataclass(frozen=True)
class Room:
    """`used`, `most` in bytes; `full`: why nothing more can be recorded, empty if it can."""

    used: int
    most: int
    dropped: tuple[str, ...] = ()
    full: str = ""


def used_bytes(session: Session, site_id: int) -> int:
    mine = select(func.coalesce(func.sum(RecordingRow.packed_bytes), 0)).join(DeviceRow)
    here = RecordingRow.state.in_(OPEN) | ((RecordingRow.state == "done") & RecordingRow.take_id.is_not(None))
    return int(session.scalar(mine.where(DeviceRow.site_id == site_id, here)) or 0)


def make_room(session: Session, site_id: int, needed: int = 0) -> Room:
    """Drop the oldest recordings that nobody marked or cited, until what there is and `needed` more bytes fit."""
    most = session.get_one(SiteRow, site_id).recording_mb * MB
    used = used_bytes(session, site_id)
    dropped: list[str] = []
    while used + needed > most:
        row = session.scalar(_idle(site_id).limit(1))
        if row is None:
            what = f"{used / MB:.1f} of {most / MB:.0f} MB are used, and every recording is marked, cited or under way"
            return Room(used, most, tuple(dropped), what)
        dropped.append(f"{row.device.code}, {row.start:%Y-%m-%d %H:%M} UTC, {row.packed_bytes / MB:.1f} MB")
        drop(session, row)
        used -= row.packed_bytes
    return Room(used, most, tuple(dropped))


def drop(session: Session, row: RecordingRow) -> None:
    """Its samples go; that it was there stays."""
    row.state, row.ended = "dropped", f"{row.ended}; dropped to make room".removeprefix("; ")
    take = row.take
    row.take = None
    session.flush()
    if take is not None:
        session.delete(take)
    session.flush()


def _idle(site_id: int) -> Select[RecordingRow]:
    """Recordings that are takes now, and that nobody marked, typed a truth or counted on, or cited; the oldest first."""
    query = select(RecordingRow).join(DeviceRow).join(TakeRow, TakeRow.id == RecordingRow.take_id)
    said = [exists().where(table.take_id == TakeRow.id) for table in (MarkRow, TruthRow, HandCountRow, JudgementRow)]
    mine = query.where(DeviceRow.site_id == site_id, RecordingRow.state == "done", ~_cited(), *(~each for each in said))
    return mine.order_by(RecordingRow.start)


def _cited() -> ColumnElement[bool]:
    """Does a revision's evidence name the take?"""
    named = func.jsonb_build_object("scores", func.jsonb_build_array(func.jsonb_build_object("take", TakeRow.id)))
    return exists().where(RevisionRow.facts.cast(JSONB).contains(named))
