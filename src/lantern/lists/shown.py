"""Lists as their pages show them: who reads them, who changed what."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.lists.tables import ListRow
from lantern.revisions import RevisionRow, revisions_of
from lantern.tune.tables import detectors_of_site

MOST_CHANGES = 60
COLOURS = ("green", "red", "amber", "blue", "grey")
Items = Callable[[Mapping[str, Any]], set[str]]  # what stands on a list, by names that stay


def readers_of(session: Session, site_id: int, rows: Sequence[ListRow]) -> dict[str, list[str]]:
    """Return by list the detectors that read it."""
    detectors = detectors_of_site(session, site_id)
    return {row.name: [d.name for d in detectors if row.name in d.body.get("lists", ())] for row in rows}


def changes_shown(session: Session, site_id: int, *, holding: str, items: Items) -> list[dict[str, Any]]:
    """Return who changed which of the lists whose body holds that key, when and why, the newest first, with how much came and went."""
    query = select(RevisionRow.subject_id).where(RevisionRow.site_id == site_id, RevisionRow.what == ListRow.WHAT)
    rows = revisions_of(session, ListRow.WHAT, list(session.scalars(query.distinct())))
    own = {row.subject_id for row in rows if row.body is not None and holding in row.body}
    rows = [row for row in rows if row.subject_id in own]
    newest: dict[int, int] = {}
    for row in rows:
        newest.setdefault(row.subject_id, row.number)
    held = {(row.subject_id, row.number): set() if row.body is None else items(row.body) for row in rows}
    out = []
    for row in rows[:MOST_CHANGES]:
        now, before = held[row.subject_id, row.number], held.get((row.subject_id, row.number - 1), set())
        out.append(
            {
                "id": row.id,
                "name": row.name,
                "number": row.number,
                "newest": newest[row.subject_id],
                "why": row.reason,
                "who": row.user.name if row.user else "the program",
                "at": row.at.timestamp(),
                "deleted": row.body is None,
                "came": len(now - before),
                "went": len(before - now),
            }
        )
    return out
