"""The stage of rehearsals, as the application knows it."""

from __future__ import annotations

from lantern.rehearse.routes import router
from lantern.rehearse.site_routes import router as site_wide
from lantern.web.frame import Stage

STAGE = Stage(key="rehearse", label="Rehearse", place=6, address="/rehearse", routers=(router, site_wide))
