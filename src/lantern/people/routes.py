"""Logging in and out."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Body, Form, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lantern.core.units import Scale
from lantern.db.base import transaction
from lantern.people.tables import User, user_by_password
from lantern.web.answers import json_answer
from lantern.web.pages import environment
from lantern.web.security import safe_next, token

router = APIRouter()


@router.get("/login")
def login_page(request: Request, next: str = "/") -> HTMLResponse:
    return _page(request, next=next)


@router.post("/login")
def log_in(
    request: Request,
    login: Annotated[str, Form()],
    password: Annotated[str, Form()],
    next: Annotated[str, Form()] = "/",
) -> Response:
    with transaction() as session:
        user = user_by_password(session, login.strip(), password)
        if user is None:
            return _page(request, next=next, login=login, failed=True)
        request.session.clear()  # a fresh session, so that nobody rides on one from before
        request.session["user_id"] = user.id
        token(request)
    return RedirectResponse(safe_next(next), 303)


@router.post("/logout")
def log_out(request: Request) -> Response:
    request.session.clear()
    return RedirectResponse("/login", 303)


@router.put("/me/scale")
def choose_scale(request: Request, scale: Annotated[str, Body(embed=True)]) -> Response:
    """Show temperatures in another scale from now on, on every page."""
    chosen = Scale(scale)
    with transaction() as session:
        session.get_one(User, request.session["user_id"]).temperature_scale = chosen.name
    return json_answer({"scale": chosen.name})


def _page(request: Request, *, next: str, login: str = "", failed: bool = False) -> HTMLResponse:
    template = environment.get_template("login.html")
    page = template.render(csrf=token(request), next=safe_next(next), login=login, failed=failed)
    return HTMLResponse(page, 422 if failed else 200)
