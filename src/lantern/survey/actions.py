"""A site document into the store."""

from __future__ import annotations

import secrets

from sqlalchemy.orm import Session

from lantern.core.site import Site
from lantern.survey.tables import DeviceRow, PlaceRow, SiteRow


def add_site(session: Session, site: Site) -> SiteRow:
    """Site, places and devices; detectors and links follow once there are takes to judge them by."""
    row = SiteRow(name=site.name, zone=site.zone)
    session.add(row)
    session.flush()
    for position, place in enumerate(site.places):
        place_row = PlaceRow(site_id=row.id, name=place.name, position=position)
        session.add(place_row)
        session.flush()
        for device in place.devices:
            session.add(
                DeviceRow(
                    site_id=row.id,
                    place_id=place_row.id,
                    code=device.code,
                    name=device.name,
                    kind=device.kind,
                    ability=device.ability,
                    address=device.address,
                    outputs=[output.model_dump(mode="json") for output in device.outputs],
                    token=secrets.token_urlsafe(16),
                )
            )
    session.flush()
    return row
