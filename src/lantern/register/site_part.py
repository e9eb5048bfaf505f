"""Types, places with their devices, in a site's file."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from lantern.core.site import Device, Place
from lantern.formats.documents import type_of
from lantern.register.documents import device_of, device_row
from lantern.register.tables import devices_of_site, types_of
from lantern.register.types import save_type
from lantern.register.units import recheck
from lantern.sites.parts import FROM_FILE, Brought, SitePart
from lantern.sites.tables import SiteRow, new_place


def _take(session: Session, row: SiteRow, brought: Brought) -> None:
    for each in brought.site.types:
        model = type_of(each.model_dump(mode="json", exclude_none=True), where="type")
        save_type(session, row.id, model, type_id=None, reason=FROM_FILE, user_id=brought.user_id)
    for position, place in enumerate(brought.site.places):
        held = {} if place.polygon is None else {"polygon": [list(point) for point in place.polygon]}
        place_row = new_place(session, row.id, place.name, position=position, extras=held)
        for device in place.devices:
            session.add(device_row(device, site_id=row.id, place_id=place_row.id))
    recheck(session, row.id)


def _give(session: Session, row: SiteRow) -> dict[str, Any]:
    devices: dict[int, list[Device]] = {}
    for device in devices_of_site(session, row.id, retired=True):
        devices.setdefault(device.place_id, []).append(device_of(device))
    places = [
        Place(name=place.name, devices=tuple(devices.get(place.id, ())), polygon=place.extras.get("polygon"))
        for place in row.places
    ]
    return {"places": tuple(places), "types": tuple(each.model for each in types_of(session, row.id))}


PARTS = (SitePart(place=1, are_ground=True, take=_take, give=_give),)
