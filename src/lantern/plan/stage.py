"""The plan, as the application knows it: with it the survey begins, the first stage of the job."""

from __future__ import annotations

from lantern.plan.file_routes import router as files
from lantern.plan.routes import router
from lantern.web.frame import Stage

STAGE = Stage(key="survey", label="Survey", place=1, address="/plan", of_detector=False, routers=(router, files))
