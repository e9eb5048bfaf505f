"""Links, timetables and what they need of the site, as the pages have them."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from lantern.core.linking.links import Effect, LinkRule
from lantern.core.logic.timetable import merged
from lantern.links.tables import LinkRow, TimetableRow, links_of_site, timetables_of
from lantern.register.tables import outputs_of
from lantern.sites.tables import site_of

# what a new link and a new effect begin with
FRESH = {
    "link": LinkRule(name="Link", detector="any").model_dump(mode="json", exclude={"name", "detector", "input"}),
    "effect": Effect(output="").model_dump(mode="json"),
}


def site_shown(session: Session, site_id: int) -> dict[str, Any]:
    """Return what of the site a page of links needs: outputs, timetables, zone."""
    outputs = [
        {"device": device.code, "flashes": output.flashes, **output.model_dump()}
        for device, output in outputs_of(session, site_id)
    ]
    timetables = [timetable_shown(t) for t in timetables_of(session, site_id)]
    zone = site_of(session, site_id).zone
    taken = [link.name for link in links_of_site(session, site_id)]
    return {"outputs": outputs, "timetables": timetables, "zone": zone, "fresh": FRESH, "taken": taken}


def timetable_shown(row: TimetableRow) -> dict[str, Any]:
    model = row.model
    spans = [[span.start_min, span.end_min] for span in merged(model.hours)]
    named = {"id": row.id, "revision": row.revision, "summary": model.summary, "spans": spans}
    return named | model.model_dump(mode="json")


def link_shown(row: LinkRow) -> dict[str, Any]:
    return {"id": row.id, "revision": row.revision, **row.model.model_dump(mode="json")}
