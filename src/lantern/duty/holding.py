"""A head taken by hand: by rank, for as long as it is moved and a while longer; and given back."""

from __future__ import annotations

from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from fastapi import Request
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.core.logic.timetable import zone_of
from lantern.core.ptz.rounds import Sheet
from lantern.db.base import now
from lantern.duty.tables import HoldRow, forget_holds, had_lately, holds_since, note_had
from lantern.people.roles import role_on
from lantern.people.tables import User
from lantern.register.heads import sheet_of
from lantern.register.tables import DeviceRow
from lantern.sites.tables import site_of
from lantern.web.door import user_id

KEPT_DAYS = 2


def take_hold(request: Request, session: Session, device_id: int, *, for_s: float = 0.0) -> None:
    """Whoever asks moves it by hand now, and for `for_s` from now on. Raises `Refused` while somebody of a greater rank has it."""
    row = session.get_one(DeviceRow, device_id)
    sheet, at = sheet_of(row), now()
    user = session.get_one(User, user_id(request))
    rank = sheet.ranks.get(role_on(session, user, row.site_id) or "", 0)
    holds = holding(session, device_id, sheet, at)
    above = next((each for each in holds if each.who != user.name and each.rank > rank), None)
    if above is not None:
        until = _until(above, sheet)
        clock = _clock(until, _zone(session, row))
        what = f"{above.who} moves it by hand, with a greater rank, until {clock} at least"
        raise Refused([Fault(f"device {row.code}", what, "once it is given back")])
    own = next((each for each in holds if each.who == user.name), None)
    if own is not None:
        own.until_at = max(own.until_at, at + timedelta(seconds=for_s))
        return
    for each in holds:
        because = f"It was taken from {each.who}."
        note_had(session, device_id, at, by="manual", do=user.name, because=because)
    session.add(
        HoldRow(device_id=device_id, who=user.name, rank=rank, from_at=at, until_at=at + timedelta(seconds=for_s))
    )
    forget_holds(session, device_id, at - timedelta(days=KEPT_DAYS))


def give_back(request: Request, session: Session, device_id: int) -> None:
    """Whoever asks has it no more, at once."""
    row = session.get_one(DeviceRow, device_id)
    sheet, at = sheet_of(row), now()
    user = session.get_one(User, user_id(request))
    for each in holding(session, device_id, sheet, at):
        if each.who == user.name:
            session.delete(each)
            note_had(session, device_id, at, by="manual", do=user.name, because="It was given back.")


def holding(session: Session, device_id: int, sheet: Sheet, at: datetime) -> list[HoldRow]:
    """Return who holds it by hand, those that a greater one took it from among them."""
    return holds_since(session, device_id, at - timedelta(seconds=sheet.release_s))


def held_shown(session: Session, row: DeviceRow) -> dict[str, str] | None:
    """Return who has it, since when and until when by the site's clock, as a page says it; None: nobody has written that yet."""
    sheet, zone = sheet_of(row), _zone(session, row)
    by_hand = max(holding(session, row.id, sheet, now()), key=lambda each: (each.rank, -each.id), default=None)
    if by_hand is not None:
        until = _until(by_hand, sheet)
        return {"by": "manual", "do": by_hand.who, "since": _clock(by_hand.from_at, zone), "until": _clock(until, zone)}
    last = next((each for each in had_lately(session, row.id) if each.by != "dropped"), None)
    return None if last is None else {"by": last.by, "do": last.do, "since": _clock(last.at, zone), "until": ""}


def log_shown(session: Session, row: DeviceRow) -> list[list[str]]:
    """Return who had it lately, the newest first."""
    zone = _zone(session, row)
    return [[_clock(each.at, zone), each.by, each.do, each.because] for each in had_lately(session, row.id)]


def _until(hold: HoldRow, sheet: Sheet) -> datetime:
    return hold.until_at + timedelta(seconds=sheet.release_s)


def _zone(session: Session, row: DeviceRow) -> ZoneInfo:
    return zone_of(site_of(session, row.site_id).zone)


def _clock(at: datetime, zone: ZoneInfo) -> str:
    return f"{at.astimezone(zone):%H:%M:%S}"
