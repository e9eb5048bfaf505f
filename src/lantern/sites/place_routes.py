"""Places of a site: made, renamed, removed."""

from __future__ import annotations

from fastapi import APIRouter, Body, Request
from fastapi.responses import Response

from lantern.db.base import transaction
from lantern.db.numbers import Id
from lantern.sites import places
from lantern.sites.tables import PlaceRow
from lantern.web.access import may, site_id_of, tell
from lantern.web.answers import json_answer
from lantern.web.door import user_id

router = APIRouter()


@router.post("/places", **may("engineer", "made a place"))
def add_place(request: Request, name: str = Body(embed=True)) -> Response:
    with transaction() as session:
        row = places.add_place(session, site_id_of(request), name, user_id=user_id(request))
        tell(request, f"made the place {row.name}")
        return json_answer({"id": row.id})


@router.put("/places/{place_id}", **may("engineer", "renamed a place"))
def rename_place(request: Request, place_id: Id, name: str = Body(embed=True)) -> Response:
    with transaction() as session:
        row = session.get_one(PlaceRow, place_id)
        tell(request, f"renamed the place {row.name} to {name.strip()}")
        places.rename_place(session, row, name, user_id=user_id(request))
        return json_answer({"id": row.id})


@router.delete("/places/{place_id}", **may("engineer", "removed a place"))
def remove_place(request: Request, place_id: Id) -> Response:
    with transaction() as session:
        row = session.get_one(PlaceRow, place_id)
        tell(request, f"removed the place {row.name}")
        places.remove_place(session, row)
        return json_answer({"removed": place_id})
