"""Lists of a site, as the application knows them."""

from __future__ import annotations

from sqlalchemy import select

from lantern.lists.tables import ListRow
from lantern.web.frame import Room

STAGE = Room(owners={"list_id": (ListRow.id, select(ListRow.site_id))})
