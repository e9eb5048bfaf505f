"""A new name of something on a site, followed by all that names it: links, compounds, expectations, hours of devices."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy.orm import Session

from lantern.core.linking.renaming import Sort, in_compound, in_expectation, in_link
from lantern.links.tables import CompoundRow, LinkRow, links_of_site, rows_of
from lantern.register.history import keep_device, state_of
from lantern.register.tables import DeviceRow, devices_of_site
from lantern.revisions import keep
from lantern.sites.tables import SiteRow

EXPECTATIONS = "expectations"  # of a site's extras


def follow(session: Session, site_id: int, what: Sort, names: Mapping[str, str], user_id: int | None) -> None:
    """`names`: the new ones by the old. Each thing that goes along is kept as its next revision."""
    changed = {old: new for old, new in names.items() if old != new}
    if not changed:
        return
    reason = "; ".join(f"{old} is called {new} now" for old, new in changed.items()) + "."
    for link in links_of_site(session, site_id):
        _take_over(session, link, in_link(link.body, what, changed), reason, user_id)
        link.input, link.compound = link.body.get("input"), link.body.get("compound")
    for compound in rows_of(session, CompoundRow, site_id):
        _take_over(session, compound, in_compound(compound.body, what, changed), reason, user_id)
    site = session.get_one(SiteRow, site_id)
    if site.extras.get(EXPECTATIONS):
        expected = [in_expectation(each, what, changed) for each in site.extras[EXPECTATIONS]]
        site.extras = site.extras | {EXPECTATIONS: expected}
    if what == "timetable":
        for device in devices_of_site(session, site_id, retired=True):
            _in_hours(session, device, changed, reason, user_id)


def _take_over(
    session: Session, row: LinkRow | CompoundRow, body: dict[str, Any], reason: str, user_id: int | None
) -> None:
    if body != row.body:
        keep(session, row, body, reason=reason, user_id=user_id)


def _in_hours(session: Session, device: DeviceRow, names: Mapping[str, str], reason: str, user_id: int | None) -> None:
    """The hours of a device's outputs, inputs and of what it does by itself."""
    before = state_of(device)

    def renamed(each: dict[str, Any]) -> dict[str, Any]:
        return each | {"timetable": names[each["timetable"]]} if each.get("timetable") in names else each

    device.outputs = [renamed(each) for each in device.outputs]
    extras = dict(device.extras)
    if extras.get("inputs"):
        extras["inputs"] = [renamed(each) for each in extras["inputs"]]
    if (extras.get("duty") or {}).get("hours"):
        extras["duty"] = extras["duty"] | {"hours": [renamed(each) for each in extras["duty"]["hours"]]}
    device.extras = extras
    session.flush()
    keep_device(session, device, before=before, reason=reason, user_id=user_id)


def by_timetable(session: Session, site_id: int, name: str) -> list[str]:
    """Return which compounds and devices go by a timetable, in words."""
    out = [row.name for row in rows_of(session, CompoundRow, site_id) if row.body.get("timetable") == name]
    for device in devices_of_site(session, site_id, retired=True):
        wired = [*device.outputs, *device.extras.get("inputs", ())]
        out += [f"{device.code} {each['name']}" for each in wired if each.get("timetable") == name]
        hours = (device.extras.get("duty") or {}).get("hours", ())
        out += [f"what {device.code} does by itself" for each in hours if each.get("timetable") == name]
    return out
