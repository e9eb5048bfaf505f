"""People, as the application knows them: log-in, accounts, who may do what on a site."""

from __future__ import annotations

from lantern.people.account_routes import router as accounts
from lantern.people.routes import router as people
from lantern.web.frame import Room

STAGE = Room(above=(people, accounts))
