"""Steering heads by hand, as the application knows it."""

from __future__ import annotations

from lantern.steer.focusing import router as focusing
from lantern.steer.masking import router as masking
from lantern.steer.registering import router as registering
from lantern.steer.routes import router
from lantern.steer.trying import router as trying
from lantern.web.frame import Room

STAGE = Room(routers=(router, registering, masking, trying, focusing))
