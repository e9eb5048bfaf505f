"""What texts of mails, posts and messages may say of an event: the names that stand in their braces."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from sqlalchemy import ColumnElement, select
from sqlalchemy.orm import Session

from lantern.core.logic.causes import Cause
from lantern.core.logic.timetable import zone_of
from lantern.live.tables import EventRow
from lantern.register.tables import DeviceRow, ids_of_devices
from lantern.sites.tables import SiteRow
from lantern.tune.tables import DetectorRow, detectors_named


def names_of(session: Session, event: EventRow) -> Mapping[str, str]:
    """Return them, of an event of a detector, an input or a compound; it need not be stored yet."""
    if event.compound is not None:
        site = session.get_one(SiteRow, event.site_id)
        parts = ", ".join(event.why.get("parts", ()))
        return {"detector": event.compound, "object": parts, "time": _local(site.zone, event.raised_at)}
    if event.input is not None:
        device = session.get_one(DeviceRow, event.device_id)
        return {"detector": event.input, "region": event.region} | _where(device, event.raised_at)
    row = session.get_one(DetectorRow, event.detector_id)
    said = {key: "" if value is None else str(value) for key, value in (event.own or {}).items()}
    own = {key: value for key, value in said.items() if key in ("text", "list")}
    seen = {"region": event.region, "object": event.object or "", "peak": f"{event.reading:g}"}
    return own | {"detector": row.name} | seen | _where(row.device, event.raised_at)


def _where(device: DeviceRow, at: datetime) -> dict[str, str]:
    return {"place": device.place.name, "time": _local(device.place.site.zone, at)}


def _local(zone: str, at: datetime) -> str:
    return at.astimezone(zone_of(zone)).isoformat(sep=" ", timespec="seconds")


def newest(session: Session, site_id: int, cause: Cause) -> EventRow | None:
    """Return the newest event of a cause; None: nothing came of it yet."""
    of: tuple[ColumnElement[bool], ...]
    if cause.detector is not None:
        named = detectors_named(session, site_id, [cause.detector])
        of = (EventRow.detector_id.in_([row.id for row in named.values()]),)
    elif cause.input is not None:
        of = (EventRow.input == cause.input, EventRow.device_id.in_(ids_of_devices(site_id)))
    else:
        of = (EventRow.site_id == site_id, EventRow.compound == cause.compound)
    return session.scalar(select(EventRow).where(*of).order_by(EventRow.raised_at.desc(), EventRow.id.desc()).limit(1))
