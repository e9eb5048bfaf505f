"""What can be done with lists: make, change, delete; each is a revision."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.lists.tables import ListRow
from lantern.revisions import check_reason, hold, keep, keep_alike, remove
from lantern.tune.tables import DetectorRow


def save_list(
    session: Session,
    site_id: int,
    body: dict[str, Any],
    *,
    list_id: int | None,
    base: int = 0,
    reason: str,
    user_id: int | None,
) -> ListRow:
    """Make or change a list, whose body was checked by its family. Detectors that name it keep it through a change of name.

    Raises `StaleRevisionError` where `base` is not the revision that is to be changed, `Refused` for a name that is taken.
    """
    check_reason(reason)
    name = body["name"]
    clash = session.scalar(select(ListRow).where(ListRow.site_id == site_id, ListRow.name == name))
    if clash is not None and clash.id != list_id:
        raise Refused([Fault("list: name", f"{name!r} is taken", "a name of its own on this site")])
    row = None if list_id is None else session.get(ListRow, list_id)
    if row is None:
        row = ListRow(id=list_id, site_id=site_id, revision=base)
    else:
        hold(session, row, base)
        if row.name != name:
            _rename(session, row, name, user_id)
    keep(session, row, body, reason=reason, user_id=user_id)
    return row


def _rename(session: Session, row: ListRow, name: str, user_id: int | None) -> None:
    """Detectors, whose bodies name it, go along."""
    for detector in users_of(session, row):
        named = [name if each == row.name else each for each in detector.body["lists"]]
        reason = f"{row.name} is called {name} now."
        keep_alike(session, detector, detector.body | {"lists": named}, reason=reason, user_id=user_id)


def users_of(session: Session, row: ListRow) -> list[DetectorRow]:
    """Return the detectors that name the list."""
    detectors = session.scalars(select(DetectorRow).where(DetectorRow.site_id == row.site_id))
    return [detector for detector in detectors if row.name in detector.body.get("lists", ())]


def delete_list(session: Session, row: ListRow, *, reason: str, user_id: int | None) -> None:
    """Raises `Refused` while a detector names it."""
    users = [detector.name for detector in users_of(session, row)]
    if users:
        what = f"{row.name} is read by {', '.join(users)}"
        raise Refused([Fault("list", what, "one that no detector names: take it off there first")])
    remove(session, row, reason=reason, user_id=user_id)
