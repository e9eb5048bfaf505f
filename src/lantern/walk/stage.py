"""The stage of walk tests, as the frame of every page knows it."""

from __future__ import annotations

from lantern.live.tables import OWNER_OF_EVENT, OWNER_OF_ORDER
from lantern.walk.event_routes import router as events
from lantern.walk.routes import router as walk
from lantern.walk.shown_routes import router as shown
from lantern.walk.tables import OF_TEST, WalkTestRow
from lantern.web.frame import Stage

STAGE = Stage(
    key="walk",
    label="Walk",
    place=7,
    address="/walk",
    routers=(
        events,
        walk,
        shown,
    ),
    owners={
        "test_id": (WalkTestRow.id, OF_TEST),
        "event_id": OWNER_OF_EVENT,
        "order_id": OWNER_OF_ORDER,
    },
)
