"""What a head does by itself, as the application knows it."""

from __future__ import annotations

from lantern.duty.routes import router
from lantern.web.frame import Room

STAGE = Room(routers=(router,))
