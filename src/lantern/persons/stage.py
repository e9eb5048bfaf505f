"""Persons, as the application knows them."""

from __future__ import annotations

from lantern.persons.lead_routes import router as leads
from lantern.persons.routes import router
from lantern.persons.tables import OWNER_OF_PERSON
from lantern.web.frame import Room

STAGE = Room(routers=(router, leads), owners={"person_id": OWNER_OF_PERSON})
