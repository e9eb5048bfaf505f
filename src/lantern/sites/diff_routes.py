"""Two sites held against each other, or a site against a file, object by object."""

from __future__ import annotations

from functools import partial
from typing import Any

from fastapi import APIRouter, HTTPException, Query, Request
from fastapi.responses import HTMLResponse, Response
from starlette.concurrency import run_in_threadpool

from lantern.core.site import NAMING, Site, by_object, differences
from lantern.db.base import transaction
from lantern.db.numbers import Id
from lantern.formats.site_files import site_in
from lantern.people.roles import role_on, sites_of
from lantern.people.tables import User
from lantern.settings import settings
from lantern.sites.actions import site_document
from lantern.sites.tables import SiteRow
from lantern.web.access import may, site_id_of
from lantern.web.answers import json_answer
from lantern.web.door import user_id
from lantern.web.outside import read_outside
from lantern.web.pages import render

router = APIRouter()


@router.get("/diff", **may("viewer"))
def page(request: Request, other: Id | None = Query(default=None, alias="with")) -> HTMLResponse:
    """`with`: another site that whoever asks may look at."""
    with transaction() as session:
        user, site_id = session.get_one(User, user_id(request)), site_id_of(request)
        choices = [site for site in sites_of(session, user) if site.id != site_id]
        told: list[dict[str, Any]] | None = None
        second = None
        if other is not None:
            second = session.get(SiteRow, other)
            if second is None or role_on(session, user, other) is None:
                raise HTTPException(404, f"You have no site {other}.")
            one = site_document(session, session.get_one(SiteRow, site_id))
            told = _told(differences(one, site_document(session, second)))
        return render(request, session, "diff.html", stage="survey", choices=choices, second=second, told=told, data={})


@router.post("/diff", **may("viewer"))
async def against_file(request: Request, name: str = Query(default="the file", max_length=200)) -> Response:
    """The body is a site's file: where the running site and it are not alike. Nothing is stored."""
    read = partial(site_in, limits=settings().limits, where=name)
    other, _ = await read_outside(request, read, name=name)
    return await run_in_threadpool(_against, request, other)


def _against(request: Request, other: Site) -> Response:
    with transaction() as session:
        one = site_document(session, session.get_one(SiteRow, site_id_of(request)))
    return json_answer({"objects": _told(differences(one, other))})


def _told(found: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Return by object whether only one of the two has it, and what of it differs, in words."""
    out = []
    for name, parts in by_object(found):
        named = [part for part in parts if part["at"][len(name) :].lstrip(".") in NAMING]
        kind = "differs"
        if name and named:
            kind = "only there" if named[0]["first"] is None else "only here"
        shown = [
            {
                "at": part["at"][len(name) :].lstrip(".") or "value",
                "first": _said(part["first"]),
                "second": _said(part["second"]),
            }
            for part in parts
        ]
        out.append({"object": name, "kind": kind, "parts": shown})
    return out


def _said(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return f"{value:.12g}"
    return str(value)
