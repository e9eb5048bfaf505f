"""The web application, assembled: routes of all stages, errors as pages or JSON, security around everything."""

from __future__ import annotations

from pathlib import Path

import structlog
from fastapi import FastAPI, HTTPException, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, Response
from fastapi.staticfiles import StaticFiles
from starlette.exceptions import HTTPException as StarletteHTTPException

from lantern import web
from lantern.application.frame import STAGES, AssembledFrame
from lantern.benches.register import BENCHES, ROOMS
from lantern.core.faults import LanternError, Refused
from lantern.core.modelled import key_fault
from lantern.core.tuning.wanted import UnwantedError
from lantern.db.base import StoreAwayError
from lantern.keeper import standing
from lantern.links.input_routes import router as input_links
from lantern.links.routes import router as links
from lantern.people.account_routes import router as accounts
from lantern.people.guard import SiteGuard
from lantern.people.routes import router as people
from lantern.people.sessions import find_session
from lantern.recordings.routes import router as recordings
from lantern.rehearse.routes import router as rehearse
from lantern.revisions import StaleRevisionError
from lantern.settings import settings
from lantern.survey.device_routes import router as devices
from lantern.survey.diff_routes import router as diff
from lantern.survey.plan_file_routes import router as plan_files
from lantern.survey.plan_routes import router as plan
from lantern.survey.routes import router as survey
from lantern.survey.site_routes import router as sites
from lantern.survey.table_routes import router as device_table
from lantern.survey.type_routes import router as types
from lantern.takes.counts import router as counts
from lantern.takes.import_routes import router as imports
from lantern.takes.routes import router as takes
from lantern.tune.comparing import router as comparing
from lantern.tune.detector_routes import router as detectors
from lantern.tune.revision_routes import router as revised
from lantern.tune.routes import router as tune
from lantern.walk.event_routes import router as events
from lantern.walk.routes import router as walk
from lantern.web.access import SITE, may
from lantern.web.answers import json_answer
from lantern.web.door import Door, SecurityHeaders
from lantern.web.frame import install
from lantern.web.pages import environment

STATIC = Path(web.__file__).parent / "static"
log = structlog.get_logger()


def make_app() -> FastAPI:
    owners = {name: owner for stage in STAGES for name, owner in stage.owners.items()}
    install(AssembledFrame(), SiteGuard(owners))
    app = FastAPI(title="Rust Lantern", docs_url=None, redoc_url=None)
    app.add_middleware(Door, find=find_session, failed=_away)
    app.add_middleware(SecurityHeaders)
    for router in (people, accounts, sites):
        app.include_router(router)
    for router in (
        survey,
        plan,
        plan_files,
        device_table,
        devices,
        types,
        diff,
        imports,
        takes,
        counts,
        tune,
        revised,
        detectors,
        comparing,
        links,
        input_links,
        rehearse,
        recordings,
        events,
        walk,
    ):
        app.include_router(router, prefix=SITE)
    for family, bench in BENCHES.items():
        app.mount(f"/static/benches/{family}", StaticFiles(directory=ROOMS[family] / "static"), name=f"bench_{family}")
        for router in bench.routers:
            app.include_router(router, prefix=SITE)
    app.mount("/static", StaticFiles(directory=STATIC), name="static")

    @app.get("/health", **may("anybody"))
    def health() -> Response:
        """Do all parts run? Not ok, and 503, where one keeps ending."""
        parts = standing(settings().state_dir)
        ok = not any(part["keeps_ending"] and not part["running"] for part in parts)
        return json_answer({"ok": ok, "parts": parts}, 200 if ok else 503)

    app.add_exception_handler(Refused, _refused)
    app.add_exception_handler(RequestValidationError, _invalid)
    app.add_exception_handler(StaleRevisionError, _stale)
    app.add_exception_handler(StoreAwayError, _away)
    app.add_exception_handler(UnwantedError, _unwanted)
    app.add_exception_handler(LanternError, _failed)
    app.add_exception_handler(StarletteHTTPException, _http)
    app.add_exception_handler(Exception, _broken)
    return app


def _wants_page(request: Request) -> bool:
    return request.method == "GET" and "text/html" in request.headers.get("accept", "")


def _error_page(status: int, title: str, lines: list[str]) -> HTMLResponse:
    return HTMLResponse(environment.get_template("error.html").render(status=status, title=title, lines=lines), status)


async def _refused(request: Request, error: Exception) -> Response:
    assert isinstance(error, Refused)
    if _wants_page(request):
        return _error_page(422, "This cannot be used as it is", [str(fault) for fault in error.faults])
    return json_answer({"faults": [fault.as_dict() for fault in error.faults]}, 422)


async def _invalid(request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    faults = [key_fault("request", detail) for detail in error.errors()]
    if _wants_page(request):
        return _error_page(422, "This address or form cannot be used as it is", [str(fault) for fault in faults])
    return json_answer({"faults": [fault.as_dict() for fault in faults]}, 422)


async def _stale(request: Request, error: Exception) -> Response:
    return json_answer({"message": str(error)}, 409)


async def _unwanted(request: Request, error: Exception) -> Response:
    return json_answer({"message": "The page has asked for something newer meanwhile.", "superseded": True}, 409)


async def _away(request: Request, error: Exception) -> Response:
    """The database is away; as a rule it is being started again just now."""
    lines = [str(error), "Nothing was changed. Try again in a moment; if it stays so, the log says why."]
    if _wants_page(request):
        return _error_page(503, "The database does not answer", lines)
    return json_answer({"message": " ".join(lines)}, 503)


async def _failed(request: Request, error: Exception) -> Response:
    if _wants_page(request):
        return _error_page(400, "This did not work", [str(error)])
    return json_answer({"message": str(error)}, 400)


async def _http(request: Request, error: Exception) -> Response:
    assert isinstance(error, HTTPException | StarletteHTTPException)
    if _wants_page(request):
        title = "Not here" if error.status_code == 404 else "This did not work"
        return _error_page(error.status_code, title, [str(error.detail)])
    return json_answer({"message": str(error.detail)}, error.status_code)


async def _broken(request: Request, error: Exception) -> Response:
    log.error("request failed", path=request.url.path, error=repr(error))
    message = "Something in the program failed; nothing was changed. The log says what."
    if _wants_page(request):
        return _error_page(500, "The program failed", [message])
    return json_answer({"message": message}, 500)
