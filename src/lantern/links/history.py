"""What became of the links of a detector and of the site's timetables: who changed what, when and why, and from what to what."""

from __future__ import annotations

from itertools import groupby
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.logic.sunned import SunHours
from lantern.core.logic.timetable import DAYS, Stretch, Timetable
from lantern.core.site import differing
from lantern.links.tables import Cause, LinkRow, TimetableRow, named
from lantern.revisions import RevisionRow, revisions_of

MOST = 200  # newest first; older ones stay in the store


def changes_of(session: Session, cause: Cause) -> list[dict[str, Any]]:
    """Return the revisions of the links of a detector or an input, those deleted too, and of the site's timetables, the newest first."""
    query = select(RevisionRow.subject_id).where(
        RevisionRow.site_id == cause.site_id,
        RevisionRow.what == LinkRow.WHAT,
        *(RevisionRow.body[key].astext == name for key, name in named(cause).items() if name is not None),
    )
    links = revisions_of(session, LinkRow.WHAT, list(session.scalars(query.distinct())))
    tables = select(RevisionRow.subject_id).where(
        RevisionRow.site_id == cause.site_id, RevisionRow.what == TimetableRow.WHAT
    )
    timetables = revisions_of(session, TimetableRow.WHAT, list(session.scalars(tables.distinct())))
    told = [each for rows in (links, timetables) for each in _told(rows)]
    return sorted(told, key=lambda each: (each["at"], each["id"]), reverse=True)[:MOST]


def _told(rows: list[RevisionRow]) -> list[dict[str, Any]]:
    out = []
    by_subject = sorted(rows, key=lambda row: (row.subject_id, row.number))
    for _, group in groupby(by_subject, key=lambda row: row.subject_id):
        states = list(group)
        for before, saved in zip([None, *states], states, strict=False):
            out.append(
                {
                    "id": saved.id,
                    "what": saved.what,
                    "name": saved.name,
                    "number": saved.number,
                    "newest": states[-1].number,
                    "why": saved.reason,
                    "who": saved.user.name if saved.user else "the program",
                    "at": saved.at.timestamp(),
                    "deleted": saved.body is None,
                    "changes": _changes(saved.what, before.body if before else None, saved.body),
                }
            )
    return out


def _changes(what: str, before: dict[str, Any] | None, after: dict[str, Any] | None) -> list[dict[str, str]]:
    """Before and after, part by part; of a first state nothing."""
    if before is None or after is None:
        return []
    return changed(_parts(what, before), _parts(what, after))


def changed(before: dict[str, Any], after: dict[str, Any]) -> list[dict[str, str]]:
    """Return before and after of what differs between two documents, in words."""
    pairs = differing(before, after)
    return [{"what": key, "before": _worded(old), "after": _worded(new)} for key, old, new in pairs]


def _parts(what: str, body: dict[str, Any]) -> dict[str, Any]:
    if what != TimetableRow.WHAT:
        return {key: value for key, value in body.items() if key not in ("detector", "input")}
    model = Timetable.model_validate(body)
    words = ", ".join(map(str, model.hours))
    by_sun = ", ".join(map(_of_sun, model.sun))
    holidays = "" if model.holidays is None else f"{model.holidays.country}: {_stretches(model.holidays.hours)}"
    dates = ", ".join(f"{each.date}: {_stretches(each.hours)}" for each in model.dates)
    parts = {"by the sun": by_sun, "holidays": holidays, "dates": dates}
    return {"name": body["name"], "zone": body["zone"], "hours": words or "never"} | {
        key: text or "none" for key, text in parts.items()
    }


def _of_sun(hours: SunHours) -> str:
    days = "" if len(hours.days) == len(DAYS) else f" on {', '.join(DAYS[day][:3] for day in hours.days)}"
    return f"{hours}{days}"


def _stretches(hours: tuple[Stretch, ...]) -> str:
    return ", ".join(map(str, hours)) or "off"


def _worded(value: Any) -> str:
    if value is None:
        return "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    return f"{value:g}" if isinstance(value, int | float) else str(value)
