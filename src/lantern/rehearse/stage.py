"""The stage of rehearsals, as the application knows it."""

from __future__ import annotations

from lantern.rehearse.routes import router
from lantern.web.frame import Stage

STAGE = Stage(key="rehearse", label="Rehearse", place=5, address="/rehearse", routers=(router,))
