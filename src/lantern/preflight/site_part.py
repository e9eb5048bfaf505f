"""Findings that somebody lives with, in a site's file."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from lantern.preflight.looking import acceptance_of
from lantern.preflight.tables import AcceptedRow, accepted_of
from lantern.sites.parts import Brought, SitePart
from lantern.sites.tables import SiteRow


def _take(session: Session, row: SiteRow, brought: Brought) -> None:
    for each in brought.site.accepted:
        session.merge(AcceptedRow(site_id=row.id, **each.model_dump()))
    session.flush()


def _give(session: Session, row: SiteRow) -> dict[str, Any]:
    return {"accepted": tuple(acceptance_of(each) for each in accepted_of(session, row.id))}


PARTS = (SitePart(place=9, are_ground=False, take=_take, give=_give),)
