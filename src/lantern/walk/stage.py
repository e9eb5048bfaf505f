"""The stage of walk tests, as the frame of every page knows it."""

from __future__ import annotations

from sqlalchemy import select

from lantern.live.tables import EventRow
from lantern.register.tables import DeviceRow
from lantern.tune.tables import DetectorRow
from lantern.walk.event_routes import router as events
from lantern.walk.routes import router as walk
from lantern.walk.tables import WalkTestRow
from lantern.web.frame import Stage

_of_detector = select(DeviceRow.site_id).join(DetectorRow, DetectorRow.device_id == DeviceRow.id)
STAGE = Stage(
    key="walk",
    label="Walk",
    place=6,
    address="/walk",
    routers=(
        events,
        walk,
    ),
    owners={
        "test_id": (WalkTestRow.id, _of_detector.join(WalkTestRow, WalkTestRow.detector_id == DetectorRow.id)),
        "event_id": (EventRow.id, _of_detector.join(EventRow, EventRow.detector_id == DetectorRow.id)),
    },
)
