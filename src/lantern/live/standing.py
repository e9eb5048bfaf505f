"""How devices stand: their feeds at the beginning, and what is written of them for the pages that follow no stream."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy.dialects.postgresql import insert

from lantern.core.devices import DEVICE_KINDS
from lantern.db.base import transaction
from lantern.live.tables import DeviceStateRow
from lantern.register.tables import DeviceRow
from lantern.signals.feed import Feed
from lantern.signals.register import feed_of


def picture_size(device: DeviceRow) -> tuple[int, int]:
    return int(device.ability.get("width", 0)), int(device.ability.get("height", 0))


def new_feed(device: DeviceRow) -> Feed[Any]:
    made = feed_of(DEVICE_KINDS[device.kind].signals)
    return made(device.code, device.id, frame_px=picture_size(device), site_id=device.site_id)


def write_standing(standing: list[tuple[int, bool, dict[str, Any]]]) -> None:
    if not standing:
        return
    at = datetime.now(UTC)
    rows = [
        {"device_id": device_id, "reachable": reachable, "since": at, "said": said | {"at": at.timestamp()}}
        for device_id, reachable, said in standing
    ]
    made = insert(DeviceStateRow).values(rows)
    kept = {"reachable": made.excluded.reachable, "said": made.excluded.said}
    with transaction() as session:
        session.execute(made.on_conflict_do_update(index_elements=["device_id"], set_=kept))
