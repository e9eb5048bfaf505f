"""Timetables and links in a site's file: those before the detectors that go by them, these after."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from lantern.core.logic.compounds import ordered
from lantern.links.actions import save_link, save_timetable
from lantern.links.compounds import save_compound, save_message
from lantern.links.tables import CompoundRow, MessageRow, NamedCause, links_of_site, rows_of, timetables_of
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
        what, name = link.of
        cause = detectors[name] if what == "detector" else NamedCause(row.id, what, name)
        body = link.model_dump(mode="json")
        save_link(session, cause, body, link_id=None, reason=FROM_FILE, user_id=brought.user_id)


def _give_links(session: Session, row: SiteRow) -> dict[str, Any]:
    return {"links": tuple(link.model for link in links_of_site(session, row.id))}


def _take_compounds(session: Session, row: SiteRow, brought: Brought) -> None:
    for message in brought.site.messages:
        save_message(session, row.id, message.model_dump(mode="json"), reason=FROM_FILE, user_id=brought.user_id)
    for compound in ordered(brought.site.compounds):
        body = compound.model_dump(mode="json")
        save_compound(session, row.id, body, compound_id=None, reason=FROM_FILE, user_id=brought.user_id)


def _give_compounds(session: Session, row: SiteRow) -> dict[str, Any]:
    return {
        "messages": tuple(each.model for each in rows_of(session, MessageRow, row.id)),
        "compounds": tuple(each.model for each in rows_of(session, CompoundRow, row.id)),
    }


PARTS = (
    SitePart(place=6, are_ground=False, take=_take_compounds, give=_give_compounds),
    SitePart(place=3, are_ground=False, take=_take_timetables, give=_give_timetables),
    SitePart(place=7, are_ground=False, take=_take_links, give=_give_links),
)
