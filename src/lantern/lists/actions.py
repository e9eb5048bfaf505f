"""What can be done with lists: make, change, delete; each is a revision."""

from __future__ import annotations

import secrets
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.events import Detector
from lantern.core.faults import Fault, Refused
from lantern.core.kinds import kind_of
from lantern.lists.tables import ListRow, lists_of
from lantern.revisions import check_reason, hold, keep, keep_alike, remove
from lantern.tune.tables import DetectorRow, detectors_of_site


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
    body, name = _with_ids(body), body["name"]
    clash = session.scalar(select(ListRow).where(ListRow.site_id == site_id, ListRow.name == name))
    if clash is not None and clash.id != list_id:
        raise Refused([Fault("list: name", f"{name!r} is taken", "a name of its own on this site")])
    row = None if list_id is None else session.get(ListRow, list_id)
    if row is None:
        row = ListRow(id=list_id, site_id=site_id, revision=base)
    else:
        hold(session, row, base)
        was, shall = _held(row.body), _held(body)
        if not (was <= shall or shall <= was):  # a sort of list may have come to hold more than it did
            what = f"{row.name} holds {', '.join(sorted(_held(row.body)))}"
            raise Refused([Fault("list", what, "a list of the same sort, or another name")])
        if row.name != name:
            _rename(session, row, name, user_id)
    keep(session, row, body, reason=reason, user_id=user_id)
    return row


def _held(body: dict[str, Any]) -> set[str]:
    """Return by which keys a list holds what is on it: each sort of list has its own."""
    return {key for key, value in body.items() if isinstance(value, list)}


def _with_ids(body: dict[str, Any]) -> dict[str, Any]:
    """An id of its own for each entry, by which it is known once its text is gone."""
    if "entries" not in body:
        return body
    return body | {"entries": [entry | {"id": entry.get("id") or secrets.token_hex(6)} for entry in body["entries"]]}


def take_over_lists(
    session: Session, site_id: int, detector: Detector, *, reason: str, user_id: int | None
) -> Detector:
    """Return the detector with lists that it only names: what stood in its own document is on lists of the site from now on,
    where an entry that is removed can be found everywhere. Raises `Refused` where the site has another list of that name.
    """
    kind = kind_of(detector.kind)
    named, documents = kind.lists.parted(kind.typed(detector))
    held = {row.name: row for row in lists_of(session, site_id)}
    for document in documents:
        if "entries" in document:  # one that was removed is not had again
            document["entries"] = [entry for entry in document["entries"] if entry.get("text") != ""]
        row = held.get(document["name"])
        if row is None:
            save_list(session, site_id, document, list_id=None, reason=reason, user_id=user_id)
        elif _without_ids(row.body) != _without_ids(document):
            what = f"{row.name!r} is another list of the site"
            raise Refused([Fault("detector: lists", what, "the list's name alone, or another name for these entries")])
    return named


def _without_ids(body: dict[str, Any]) -> dict[str, Any]:
    plain = [{k: v for k, v in entry.items() if k != "id" and v is not None} for entry in body.get("entries", ())]
    return {k: v for k, v in body.items() if v is not None} | {"entries": plain}


def _rename(session: Session, row: ListRow, name: str, user_id: int | None) -> None:
    """Detectors, whose bodies name it, go along."""
    for detector in users_of(session, row):
        body = kind_of(detector.kind).lists.renamed(detector.body, row.name, name)
        keep_alike(session, detector, body, reason=f"{row.name} is called {name} now.", user_id=user_id)


def users_of(session: Session, row: ListRow) -> list[DetectorRow]:
    """Return the detectors that name the list."""
    detectors = detectors_of_site(session, row.site_id, retired=True)
    return [detector for detector in detectors if row.name in detector.body.get("lists", ())]


def delete_list(session: Session, row: ListRow, *, reason: str, user_id: int | None) -> None:
    """Raises `Refused` while a detector names it."""
    users = [detector.name for detector in users_of(session, row)]
    if users:
        what = f"{row.name} is read by {', '.join(users)}"
        raise Refused([Fault("list", what, "one that no detector names: take it off there first")])
    remove(session, row, reason=reason, user_id=user_id)
