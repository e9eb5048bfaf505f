"""The stage of links, as the frame of every page knows it."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.links.compound_routes import router as compounds
from lantern.links.input_routes import router as inputs
from lantern.links.message_routes import router as messages
from lantern.links.reading import router as reading
from lantern.links.routes import router as links
from lantern.links.sheet_routes import router as sheet
from lantern.links.tables import CompoundRow, LinkRow, MessageRow, TimetableRow, count_untied
from lantern.links.timetable_routes import router as timetables
from lantern.revisions import RevisionRow
from lantern.web.frame import Stage


def _count(session: Session, site_id: int) -> tuple[int, str]:
    return count_untied(session, site_id), "detectors tied to no output"


STAGE = Stage(
    key="link",
    label="Link",
    place=4,
    address="/link-sheet",
    of_detector=False,
    routers=(sheet, links, timetables, inputs, compounds, messages, reading),
    count=_count,
    owners={
        "link_id": (LinkRow.id, select(LinkRow.site_id)),
        "compound_id": (CompoundRow.id, select(CompoundRow.site_id)),
        "message_id": (MessageRow.id, select(MessageRow.site_id)),
        "timetable_id": (TimetableRow.id, select(TimetableRow.site_id)),
        "revision_id": (RevisionRow.id, select(RevisionRow.site_id)),
    },
)
