"""Logging in and out."""

from __future__ import annotations

import asyncio
from typing import Annotated

from fastapi import APIRouter, Body, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from starlette.concurrency import run_in_threadpool

from lantern.core.units import Scale
from lantern.db.base import transaction
from lantern.people.accounts import nobody_yet
from lantern.people.attempts import LOGIN_LENGTH, TooManyTriesError, Turnstile, pauses, record_attempt
from lantern.people.sessions import begin_session, end_session
from lantern.people.tables import User, user_by_password
from lantern.settings import settings
from lantern.web.access import may
from lantern.web.answers import json_answer
from lantern.web.door import FORM_COOKIE, SESSION_COOKIE, safe_next, set_cookie, token, user_id
from lantern.web.pages import environment

router = APIRouter()
AT_ONCE = 2  # passwords that are tried at the same time: each takes a core and 64 MiB
WRONG = "No user has this login and password. Check both; capital letters count."
_turnstile = Turnstile()
_trying = asyncio.Semaphore(AT_ONCE)


@router.get("/login", **may("anybody"))
def login_page(request: Request, next: str = "/") -> Response:
    """Show the form to log in; where nobody has an account yet, the one that makes the first."""
    with transaction() as session:
        if nobody_yet(session):
            return RedirectResponse("/setup", 303)
    return _page(request, next=next)


@router.post("/login", **may("anybody"))
async def log_in(request: Request) -> Response:
    form = {key: value for key, value in (await request.form()).items() if isinstance(value, str)}
    login, password, next = (
        form.get("login", "").strip()[:LOGIN_LENGTH],
        form.get("password", ""),
        form.get("next", "/"),
    )
    if not login.isprintable():
        return _page(request, next=next, failed=WRONG, status=422)
    address = request.client.host if request.client else "unknown"

    def slowed() -> dict[str, float]:
        with transaction() as session:
            return pauses(session, login, address)

    def tried() -> str | None:
        with transaction() as session:
            user = user_by_password(session, login, password)
            record_attempt(session, login=login, address=address, succeeded=user is not None)
            if user is None:
                return None
            held = request.cookies.get(SESSION_COOKIE)
            return begin_session(session, user_id=user.id, address=address, instead_of=held)

    try:
        await _turnstile.turn(await run_in_threadpool(slowed))
    except TooManyTriesError as error:
        page = _page(request, next=next, login=login, failed=str(error), status=429)
        page.headers["Retry-After"] = str(error.again_s)
        return page
    async with _trying:
        key = await run_in_threadpool(tried)
    if key is None:
        return _page(request, next=next, login=login, failed=WRONG, status=422)
    answer = RedirectResponse(safe_next(next), 303)
    set_cookie(request, answer, SESSION_COOKIE, key, days=settings().session_days)
    answer.delete_cookie(FORM_COOKIE)
    return answer


@router.post("/logout", **may("known"))
def log_out(request: Request) -> Response:
    with transaction() as session:
        end_session(session, request.state.known.digest)
    answer = RedirectResponse("/login", 303)
    answer.delete_cookie(SESSION_COOKIE)
    return answer


@router.put("/me/scale", **may("known"))
def choose_scale(request: Request, scale: Annotated[str, Body(embed=True)]) -> Response:
    """Show temperatures in another scale from now on, on every page."""
    chosen = Scale(scale)
    with transaction() as session:
        session.get_one(User, user_id(request)).temperature_scale = chosen.name
    return json_answer({"scale": chosen.name})


def _page(request: Request, *, next: str, login: str = "", failed: str = "", status: int = 200) -> HTMLResponse:
    csrf = token(request)
    text = environment.get_template("login.html").render(csrf=csrf, next=safe_next(next), login=login, failed=failed)
    page = HTMLResponse(text, status)
    if request.state.known is None:
        set_cookie(request, page, FORM_COOKIE, csrf)
    return page
