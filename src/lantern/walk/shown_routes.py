"""What is shown to those who have a role: what an event ordered to pop up, until one of them acknowledges it."""

from __future__ import annotations

from fastapi import APIRouter, HTTPException, Request
from fastapi.responses import Response

from lantern.core.roles import ROLES, suffices
from lantern.db.base import now, transaction
from lantern.db.numbers import Id
from lantern.live.sent import acknowledge_shown, to_show
from lantern.people.tables import User
from lantern.web.access import may, site_id_of, tell
from lantern.web.answers import json_answer
from lantern.web.door import user_id

router = APIRouter()


@router.get("/shown.json", **may("viewer"))
def shown(request: Request) -> Response:
    """Return what is shown to whoever asks, the newest first."""
    roles = [each for each in ROLES if suffices(request.state.role, each)]
    with transaction() as session:
        found = to_show(session, site_id_of(request), roles)
        return json_answer([{"id": row.id, "link": row.link, "names": row.names} for row in found])


@router.post("/shown/{order_id}/acknowledge", **may("viewer"))
def acknowledge(request: Request, order_id: Id) -> Response:
    with transaction() as session:
        by = session.get_one(User, user_id(request)).name
        if not acknowledge_shown(session, site_id_of(request), order_id, by=by, at=now()):
            raise HTTPException(404, "It is shown no more: somebody acknowledged it meanwhile.")
        tell(request, "acknowledged what was shown")
        return json_answer({"acknowledged": order_id})
