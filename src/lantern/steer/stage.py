"""Steering heads by hand, as the application knows it."""

from __future__ import annotations

from lantern.steer.masking import router as masking
from lantern.steer.registering import router as registering
from lantern.steer.routes import router
from lantern.web.frame import Room

STAGE = Room(routers=(router, registering, masking))
