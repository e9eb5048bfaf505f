"""The web application, assembled: routes of all stages, errors as pages or JSON, security around everything."""

from __future__ import annotations

import structlog
from fastapi import FastAPI, HTTPException, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, Response
from fastapi.staticfiles import StaticFiles
from starlette.exceptions import HTTPException as StarletteHTTPException

from lantern.application.frame import AssembledFrame
from lantern.application.rooms import ROOMS, static_folders
from lantern.benches.register import BENCHES
from lantern.core.faults import LanternError, Refused
from lantern.core.modelled import key_fault
from lantern.core.tuning.wanted import UnwantedError
from lantern.db.base import StoreAwayError
from lantern.people.guard import SiteGuard
from lantern.people.sessions import find_session
from lantern.processes import standing
from lantern.revisions import StaleRevisionError
from lantern.settings import settings
from lantern.web.access import SITE, may
from lantern.web.answers import json_answer
from lantern.web.door import Door, SecurityHeaders
from lantern.web.frame import install
from lantern.web.pages import environment

log = structlog.get_logger()


def make_app() -> FastAPI:
    owners = {name: owner for room in ROOMS.values() for name, owner in room.owners.items()}
    install(AssembledFrame(), SiteGuard(owners))
    app = FastAPI(title="Rust Lantern", docs_url=None, redoc_url=None)
    app.add_middleware(Door, find=find_session, failed=_away)
    app.add_middleware(SecurityHeaders)
    for room in ROOMS.values():
        for router in room.above:
            app.include_router(router)
        for router in room.routers:
            app.include_router(router, prefix=SITE)
    for bench in BENCHES.values():
        for router in bench.routers:
            app.include_router(router, prefix=SITE)
    for address, folder in static_folders().items():
        app.mount("/static" if address == "web" else f"/static/{address}", StaticFiles(directory=folder), name=address)

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
