"""Room for recordings: so much a site, and what goes when it is used up. Imported takes never do."""

from __future__ import annotations

from dataclasses import dataclass
from zoneinfo import ZoneInfo

from sqlalchemy.orm import Session

from lantern.recordings.tables import RecordingRow, oldest_idle, used_bytes
from lantern.sites.tables import SiteRow

MB = 1_000_000


@dataclass(frozen=True)
class Room:
    """`used`, `most` in bytes; `full`: why nothing more can be recorded, empty if it can."""

    used: int
    most: int
    dropped: tuple[str, ...] = ()
    full: str = ""


def make_room(session: Session, site_id: int, needed: int = 0) -> Room:
    """Drop the oldest recordings that nobody marked or cited, until what there is and `needed` more bytes fit."""
    site = session.get_one(SiteRow, site_id)
    most, zone = site.recording_mb * MB, ZoneInfo(site.zone)
    used = used_bytes(session, site_id)
    dropped: list[str] = []
    while used + needed > most:
        row = oldest_idle(session, site_id)
        if row is None:
            what = f"{used / MB:.1f} of {most / MB:.0f} MB are used, and every recording is marked, cited or under way"
            return Room(used, most, tuple(dropped), what)
        dropped.append(
            f"{row.device.code}, {row.start.astimezone(zone):%Y-%m-%d %H:%M}, {row.packed_bytes / MB:.1f} MB"
        )
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
