"""Lists of people: who is on them, who reads them, what is wrong."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy.orm import Session

from lantern.core.faces.detector import FaceList
from lantern.core.faces.findings import findings
from lantern.core.modelled import read_model
from lantern.lists.actions import save_list
from lantern.lists.shown import COLOURS, changes_shown, readers_of
from lantern.lists.tables import ListRow, lists_of
from lantern.revisions import RevisionRow, restored
from lantern.sites.tables import SiteRow

HOLDING = "members"


def keep_list(
    session: Session,
    site_id: int,
    document: Mapping[str, Any],
    *,
    list_id: int | None,
    base: int = 0,
    reason: str,
    user_id: int | None,
) -> ListRow:
    """Make or change one. Raises `Refused`, `StaleRevisionError`."""
    body = read_model(FaceList, document, where="list").model_dump(mode="json")
    return save_list(session, site_id, body, list_id=list_id, base=base, reason=reason, user_id=user_id)


def restore_list(session: Session, saved: RevisionRow, *, base: int, user_id: int | None) -> ListRow:
    """Save an old state anew."""
    reason = restored(saved.number, saved)
    document = saved.document
    return keep_list(
        session, saved.site_id, document, list_id=saved.subject_id, base=base, reason=reason, user_id=user_id
    )


def people_lists_shown(session: Session, site: SiteRow) -> dict[str, Any]:
    """Return all lists of people with their members, who reads them, and what is wrong."""
    rows = lists_of(session, site.id, holding=HOLDING)
    models = [read_model(FaceList, row.body, where=f"list {row.name}") for row in rows]
    readers = readers_of(session, site.id, rows)
    found = findings(models, readers, datetime.now(ZoneInfo(site.zone)).date())
    return {
        "lists": [
            {"id": row.id, "revision": row.revision, "readers": readers[row.name]} | model.model_dump(mode="json")
            for row, model in zip(rows, models, strict=True)
        ],
        "findings": [asdict(each) for each in found],
        "changes": changes_shown(session, site.id, holding=HOLDING, items=lambda body: set(body[HOLDING])),
        "colours": COLOURS,
        "zone": site.zone,
    }
