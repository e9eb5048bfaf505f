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
from lantern.lists.pages import ListPages, list_router
from lantern.lists.shown import changes_shown, readers_of
from lantern.lists.tables import lists_of
from lantern.sites.tables import SiteRow

HOLDING = "members"


def checked(document: Mapping[str, Any]) -> dict[str, Any]:
    """Return a list's document, whole. Raises `Refused`."""
    return read_model(FaceList, document, where="list").model_dump(mode="json")


def lists_shown(session: Session, site: SiteRow) -> dict[str, Any]:
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
    }


PAGES = ListPages("/people-lists", "people_lists.html", HOLDING, "a list of people", checked, lists_shown)
router = list_router(PAGES)
