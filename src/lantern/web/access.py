"""Who may do what on which site: each route says what role it asks for, and every number in its address must be of that site.

`viewer` looks, `operator` acknowledges and marks, `engineer` changes, `lead` also manages people; an administrator may all of that on
every site. Addresses that are of no site ask for `anybody` (not logged in), `known` (logged in) or `administrator`.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from fastapi import Depends, HTTPException, Request
from sqlalchemy import Select, select

from lantern.db.base import transaction
from lantern.db.numbers import MOST
from lantern.links.tables import LinkRow, TimetableRow
from lantern.people.roles import ROLES, note_change, role_on, suffices
from lantern.people.tables import User
from lantern.survey.tables import DeviceRow, PlaceRow, SiteRow
from lantern.takes.tables import HandCountRow, ImportRow, MarkRow, TakeRow
from lantern.tune.tables import DetectorRow, StudyRow
from lantern.web.door import SAFE

SITE = "/sites/{site_id}"  # before every address of a site
OFF_SITE = ("anybody", "known", "administrator")
_of_device = select(DeviceRow.site_id)
_of_take = _of_device.join(TakeRow, TakeRow.device_id == DeviceRow.id)
_of_detector = _of_device.join(DetectorRow, DetectorRow.device_id == DeviceRow.id)
OWNERS: dict[
    str, tuple[Any, Select[Any]]
] = {  # by the number's name in an address: its column, and whose site it is of
    "place_id": (PlaceRow.id, select(PlaceRow.site_id)),
    "device_id": (DeviceRow.id, _of_device),
    "detector_id": (DetectorRow.id, _of_detector),
    "take_id": (TakeRow.id, _of_take),
    "mark_id": (MarkRow.id, _of_take.join(MarkRow, MarkRow.take_id == TakeRow.id)),
    "row_id": (HandCountRow.id, _of_take.join(HandCountRow, HandCountRow.take_id == TakeRow.id)),
    "import_id": (ImportRow.id, select(ImportRow.site_id)),
    "study_id": (StudyRow.id, _of_detector.join(StudyRow, StudyRow.detector_id == DetectorRow.id)),
    "link_id": (LinkRow.id, select(LinkRow.site_id)),
    "timetable_id": (TimetableRow.id, select(TimetableRow.site_id)),
}


@dataclass(frozen=True)
class May:
    """Lets a request pass if whoever asks has the role, and notes who did what once it is done."""

    role: str
    does: str = ""

    def __call__(self, request: Request) -> Iterator[None]:
        user_id, site_id = (None, None) if self.role == "anybody" else self._checked(request)
        yield
        told = getattr(request.state, "told", self.does)  # only where the route came to its end
        if told and request.method not in SAFE:
            with transaction() as session:
                note_change(session, user_id=user_id, site_id=site_id, what=told)

    def _checked(self, request: Request) -> tuple[int, int | None]:
        """Who asks, and for which site. Raises HTTP 401, 403, 404."""
        with transaction() as session:
            user = session.get(User, request.state.known.user_id)
            if user is None or user.disabled:
                raise HTTPException(401, "This account is disabled.")
            if self.role in OFF_SITE:
                if self.role == "administrator" and not user.administrator:
                    raise HTTPException(403, "Only an administrator may do this.")
                return user.id, None
            site_id = _number(request, "site_id")
            role = role_on(session, user, site_id) if session.get(SiteRow, site_id) is not None else None
            if role is None:  # whether it is there is nobody else's business
                raise HTTPException(404, f"You have no site {site_id}.")
            if not suffices(role, self.role):
                raise HTTPException(403, f"Your role here is {role}: this asks for {self.role}.")
            request.state.site_id, request.state.role = site_id, role
            for name in request.path_params.keys() & OWNERS.keys():
                column, query = OWNERS[name]
                number = _number(request, name)
                if session.scalar(query.where(column == number)) != site_id:
                    raise HTTPException(404, f"This site has no {name.removesuffix('_id')} {number}.")
            return user.id, site_id


def may(role: str, does: str = "") -> dict[str, Any]:
    """What a route's decorator takes: the role that it asks for, and what whoever calls it does, in words."""
    if role not in (*ROLES, *OFF_SITE):
        raise ValueError(role)
    extra: dict[str, Any] = {"x-role": role}
    if role in ROLES:  # read here, and by no route
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


def _number(request: Request, name: str) -> int:
    """A number of the address. Text that is none, or one that no row can have, is nothing that is here."""
    text = str(request.path_params.get(name, ""))
    if not (text.isascii() and text.isdigit() and len(text) < 11 and 1 <= int(text) <= MOST):
        raise HTTPException(404, f"There is no {name.removesuffix('_id')} {text[:20]!r}.")
    return int(text)
