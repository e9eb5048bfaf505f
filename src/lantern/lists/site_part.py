"""Lists in a site's file."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from lantern.core.site import Named
from lantern.lists.actions import save_list
from lantern.lists.tables import lists_of
from lantern.sites.parts import FROM_FILE, Brought, SitePart
from lantern.sites.tables import SiteRow


def _take(session: Session, row: SiteRow, brought: Brought) -> None:
    for held in brought.site.list_bodies.values():
        save_list(session, row.id, held, list_id=None, reason=FROM_FILE, user_id=brought.user_id)


def _give(session: Session, row: SiteRow) -> dict[str, Any]:
    return {"lists": tuple(Named.model_validate(held.body) for held in lists_of(session, row.id))}


PARTS = (SitePart(place=4, are_ground=False, take=_take, give=_give),)
