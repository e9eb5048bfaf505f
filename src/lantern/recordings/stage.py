"""Recordings of live devices, as the application knows them."""

from __future__ import annotations

from lantern.recordings.routes import router
from lantern.web.frame import Room

STAGE = Room(routers=(router,))
