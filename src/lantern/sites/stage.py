"""Sites and their places, as the application knows them."""

from __future__ import annotations

from sqlalchemy import select

from lantern.sites.diff_routes import router as diff
from lantern.sites.place_routes import router as places
from lantern.sites.routes import router as sites
from lantern.sites.survey_routes import router as survey
from lantern.sites.tables import PlaceRow
from lantern.web.frame import Room

STAGE = Room(
    above=(sites,),
    routers=(survey, places, diff),
    owners={"place_id": (PlaceRow.id, select(PlaceRow.site_id))},
)
