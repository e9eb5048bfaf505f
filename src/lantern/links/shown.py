"""Links, timetables and what they need of the site, as the pages have them."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session, object_session

from lantern.core.effects.register import EFFECTS
from lantern.core.effects.switch.effect import Switch
from lantern.core.linking.links import CAUSES, LinkRule
from lantern.core.logic.timetable import holiday_countries
from lantern.core.roles import ROLES
from lantern.db.base import now
from lantern.links.tables import LinkRow, TimetableRow, held_back, lengths_of, links_of_site, timetables_of
from lantern.register.tables import devices_of_site, outputs_of
from lantern.sites.tables import site_of

NO_LIMIT = {"limit_burst": None, "limit_refill_s": None}  # which a link's document leaves out
# what a new link and a new effect begin with
FRESH = {
    "link": LinkRule(name="Link", detector="any").model_dump(mode="json", exclude={"name", *CAUSES}) | NO_LIMIT,
    "effect": Switch(output="lamp").model_dump(mode="json"),
}


def site_shown(session: Session, site_id: int) -> dict[str, Any]:
    """Return what of the site a page of links needs: outputs, timetables, zone."""
    outputs = [
        {"device": device.code, "flashes": output.flashes, **output.model_dump()}
        for device, output in outputs_of(session, site_id)
    ]
    timetables = [timetable_shown(t) for t in timetables_of(session, site_id)]
    zone = site_of(session, site_id).zone
    devices = [{"code": row.code, "kind": row.kind} for row in devices_of_site(session, site_id)]
    sorts = [
        {"do": do, "title": each.TITLE, "asked": [one._asdict() for one in each.ASKED], "begins": dict(each.BEGINS)}
        for do, each in EFFECTS.items()
        if each.ASKED
    ]
    messages = list(lengths_of(session, site_id))
    chosen = {"devices": devices, "messages": messages, "roles": list(ROLES), "sorts": sorts}
    taken = [link.name for link in links_of_site(session, site_id)]
    chosen["countries"] = list(holiday_countries())
    return {"outputs": outputs, "timetables": timetables, "zone": zone, "fresh": FRESH, "taken": taken} | chosen


def timetable_shown(row: TimetableRow) -> dict[str, Any]:
    model = row.model
    spans = [[span.start_min, span.end_min] for span in model.of_week(now().date())]
    named = {"id": row.id, "revision": row.revision, "summary": model.summary, "spans": spans}
    return named | model.model_dump(mode="json")


def link_shown(row: LinkRow) -> dict[str, Any]:
    session = object_session(row)
    held = 0 if session is None else held_back(session, [row.id]).get(row.id, 0)
    return {"id": row.id, "revision": row.revision, "held_back": held, **NO_LIMIT, **row.model.model_dump(mode="json")}
