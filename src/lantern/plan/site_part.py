"""The plan in a site's file, with its ground picture beside it."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from lantern.plan.grounds import keep_pictures, pictures_of
from lantern.plan.tables import PlanRow, plan_of
from lantern.revisions import keep
from lantern.sites.parts import FROM_FILE, Brought, SitePart
from lantern.sites.tables import SiteRow


def _take(session: Session, row: SiteRow, brought: Brought) -> None:
    plan = brought.site.plan
    if plan is not None:
        body = plan.model_dump(mode="json", exclude_none=True) | {"name": "plan"}
        keep(session, PlanRow(site_id=row.id, revision=0), body, reason=FROM_FILE, user_id=brought.user_id)
        keep_pictures(session, row.id, plan, brought.pictures)


def _give(session: Session, row: SiteRow) -> dict[str, Any]:
    held = plan_of(session, row.id)
    return {"plan": None if held is None else held.model}


def _files(session: Session, row: SiteRow) -> dict[str, bytes]:
    held = plan_of(session, row.id)
    return {} if held is None else pictures_of(session, row.id, held.model)


PARTS = (SitePart(place=2, are_ground=True, take=_take, give=_give, files=_files),)
