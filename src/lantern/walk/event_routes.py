"""All live events of the site as a list: of detectors and of inputs, with what came of each."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import Response

from lantern.core.units import CELSIUS
from lantern.db.base import transaction
from lantern.people.tables import scale_of
from lantern.sites.tables import site_of
from lantern.walk.listed import LEDGER, events_query, sayer
from lantern.web.access import may, site_id_of
from lantern.web.door import user_id
from lantern.web.ledger import EXPORT
from lantern.web.pages import render

router = APIRouter()


@router.get("/events", **may("viewer"))
def page(request: Request) -> Response:
    """The newest first; with `export=csv` or `xlsx` in the address, what is asked for as a file."""
    asked = LEDGER.asked(request)
    with transaction() as session:
        site = site_of(session, site_id_of(request))
        form = request.query_params.get(EXPORT)
        if form:
            out = {"said": sayer(session, site.id, CELSIUS)}
            return LEDGER.export(session, events_query(site.id), asked, form, zone=site.zone, out=out)
        listed = LEDGER.read(session, events_query(site.id), asked)
        said = sayer(session, site.id, scale_of(session, user_id(request)))
        return render(request, session, "events.html", stage="walk", list=listed, said=said)
