"""What texts of mails, posts and messages may say of an event: the names that stand in their braces."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from sqlalchemy.orm import Session

from lantern.core.logic.timetable import zone_of
from lantern.live.tables import EventRow
from lantern.register.tables import DeviceRow
from lantern.sites.tables import SiteRow
from lantern.tune.tables import DetectorRow


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
