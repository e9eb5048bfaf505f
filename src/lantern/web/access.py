"""Who may do what on which site: each route says what role it asks for.

`viewer` looks, `operator` acknowledges and marks, `engineer` changes, `lead` also manages people; an administrator may all of that on
every site. Addresses that are of no site ask for `anybody` (not logged in), `known` (logged in) or `administrator`.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from fastapi import Depends, Request

from lantern.core.roles import ROLES
from lantern.db.numbers import MOST
from lantern.web.door import SAFE
from lantern.web.frame import guard

SITE = "/sites/{site_id}"  # before every address of a site
OFF_SITE = ("anybody", "known", "administrator")


@dataclass(frozen=True)
class May:
    """Lets a request pass if whoever asks has the role, and notes who did what once it is done."""

    role: str
    does: str = ""

    def __call__(self, request: Request) -> Iterator[None]:
        user_id, site_id = (None, None) if self.role == "anybody" else guard().admit(request, self.role)
        yield
        told = getattr(request.state, "told", self.does)  # only where the route came to its end
        if told and request.method not in SAFE:
            guard().note(user_id=user_id, site_id=site_id, what=told)


def may(role: str, does: str = "") -> dict[str, Any]:
    """Return what a route's decorator takes: the role that it asks for, and what whoever calls it does, in words."""
    if role not in (*ROLES, *OFF_SITE):
        raise ValueError(role)
    extra: dict[str, Any] = {"x-role": role}
    if role in ROLES:  # read by the guard, and by no route
        number = {"type": "integer", "minimum": 1, "maximum": MOST}
        extra["parameters"] = [{"name": "site_id", "in": "path", "required": True, "schema": number}]
    return {"dependencies": [Depends(May(role, does))], "openapi_extra": extra}


def tell(request: Request, what: str) -> None:
    """Note what was changed in better words than the route has for all its calls."""
    request.state.told = what


def site_id_of(request: Request) -> int:
    """The site of the address; only behind `may`."""
    number: int = request.state.site_id
    return number
