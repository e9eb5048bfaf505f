"""Timetables and links in a site's file: those before the detectors that go by them, these after."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from lantern.links.actions import save_link, save_timetable
from lantern.links.tables import Cause, InputCause, links_of_site, timetables_of
from lantern.sites.parts import FROM_FILE, Brought, SitePart
from lantern.sites.tables import SiteRow
from lantern.tune.tables import detectors_of_site


def _take_timetables(session: Session, row: SiteRow, brought: Brought) -> None:
    for timetable in brought.site.timetables:
        body = timetable.model_dump(mode="json")
        save_timetable(session, row.id, body, timetable_id=None, reason=FROM_FILE, user_id=brought.user_id)


def _give_timetables(session: Session, row: SiteRow) -> dict[str, Any]:
    return {"timetables": tuple(found.model for found in timetables_of(session, row.id))}


def _take_links(session: Session, row: SiteRow, brought: Brought) -> None:
    detectors = {detector.name: detector for detector in detectors_of_site(session, row.id, retired=True)}
    for link in brought.site.links:
        cause: Cause = detectors[link.detector] if link.detector is not None else InputCause(row.id, link.cause)
        body = link.model_dump(mode="json")
        save_link(session, cause, body, link_id=None, reason=FROM_FILE, user_id=brought.user_id)


def _give_links(session: Session, row: SiteRow) -> dict[str, Any]:
    return {"links": tuple(link.model for link in links_of_site(session, row.id))}


PARTS = (
    SitePart(place=3, are_ground=False, take=_take_timetables, give=_give_timetables),
    SitePart(place=6, are_ground=False, take=_take_links, give=_give_links),
)
