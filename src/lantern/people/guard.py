"""The guard of every address: a known account, a role that suffices, and numbers that are of the site in the address."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from fastapi import HTTPException, Request

from lantern.core.roles import suffices
from lantern.db.base import transaction
from lantern.db.numbers import MOST
from lantern.people.roles import note_change, role_on
from lantern.people.tables import User
from lantern.sites.tables import SiteRow
from lantern.web.access import OFF_SITE


@dataclass(frozen=True)
class SiteGuard:
    """`owners`: by the name of a number in an address, the column it is of and the query for its site, as the stages tell them."""

    owners: Mapping[str, tuple[Any, Any]]

    def admit(self, request: Request, role: str) -> tuple[int, int | None]:
        """Return who asks, and for which site. Raises HTTP 401, 403, 404."""
        with transaction() as session:
            user = session.get(User, request.state.known.user_id)
            if user is None or user.disabled:
                raise HTTPException(401, "This account is disabled.")
            if role in OFF_SITE:
                if role == "administrator" and not user.administrator:
                    raise HTTPException(403, "Only an administrator may do this.")
                return user.id, None
            site_id = _number(request, "site_id")
            own = role_on(session, user, site_id) if session.get(SiteRow, site_id) is not None else None
            if own is None:  # whether it is there is nobody else's business
                raise HTTPException(404, f"You have no site {site_id}.")
            if not suffices(own, role):
                raise HTTPException(403, f"Your role here is {own}: this asks for {role}.")
            request.state.site_id, request.state.role = site_id, own
            for name in request.path_params.keys() & self.owners.keys():
                column, query = self.owners[name]
                number = _number(request, name)
                if session.scalar(query.where(column == number)) != site_id:
                    raise HTTPException(404, f"This site has no {name.removesuffix('_id')} {number}.")
            return user.id, site_id

    def note(self, *, user_id: int | None, site_id: int | None, what: str) -> None:
        """Somebody changed something."""
        with transaction() as session:
            note_change(session, user_id=user_id, site_id=site_id, what=what)


def _number(request: Request, name: str) -> int:
    """A number of the address. Text that is none, or one that no row can have, is nothing that is here."""
    text = str(request.path_params.get(name, ""))
    if not (text.isascii() and text.isdigit() and len(text) < 11 and 1 <= int(text) <= MOST):
        raise HTTPException(404, f"There is no {name.removesuffix('_id')} {text[:20]!r}.")
    return int(text)
