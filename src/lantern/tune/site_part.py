"""Detectors in a site's file."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from lantern.core.site import SiteDetector
from lantern.register.tables import device_by_code
from lantern.register.units import recheck
from lantern.sites.parts import FROM_FILE, Brought, SitePart
from lantern.sites.tables import SiteRow
from lantern.tune.actions import add_detector
from lantern.tune.tables import detectors_of_site


def _take(session: Session, row: SiteRow, brought: Brought) -> None:
    for detector in brought.site.detectors:
        device = device_by_code(session, row.id, str(detector.device))
        assert device is not None  # the document was checked
        made = add_detector(
            session,
            device_id=device.id,
            detector=detector.plain,
            reason=brought.reasons.get(detector.name, FROM_FILE),
            user_id=brought.user_id,
            checked=False,
        )
        made.enabled, made.retired = detector.enabled, detector.retired
    recheck(session, row.id)


def _give(session: Session, row: SiteRow) -> dict[str, Any]:
    rows = detectors_of_site(session, row.id, retired=True)
    stands = ({"enabled": found.enabled, "retired": found.retired} for found in rows)
    held = [SiteDetector.model_validate(found.body | how) for found, how in zip(rows, stands, strict=True)]
    return {"detectors": tuple(held)}


PARTS = (SitePart(place=5, are_ground=False, take=_take, give=_give),)
