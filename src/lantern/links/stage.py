"""The stage of links, as the frame of every page knows it."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lantern.links.input_routes import router as inputs
from lantern.links.routes import router as links
from lantern.links.tables import LinkRow, TimetableRow
from lantern.lists.tables import ListRow
from lantern.register.tables import DeviceRow
from lantern.revisions import RevisionRow
from lantern.tune.tables import DetectorRow
from lantern.web.frame import Stage


def _count(session: Session, site_id: int) -> tuple[int, str]:
    query = select(func.count(DetectorRow.id)).join(DetectorRow.device).where(DetectorRow.site_id == site_id)
    in_use = (DetectorRow.retired.is_(False), DeviceRow.retired.is_(False))
    tied = select(LinkRow.detector_id).where(LinkRow.site_id == site_id, LinkRow.detector_id.is_not(None))
    count = session.scalar(query.where(*in_use, DetectorRow.id.not_in(tied))) or 0
    return count, "detectors tied to no output"


STAGE = Stage(
    key="link",
    label="Link",
    place=4,
    address="/links",
    routers=(
        links,
        inputs,
    ),
    count=_count,
    owners={
        "link_id": (LinkRow.id, select(LinkRow.site_id)),
        "timetable_id": (TimetableRow.id, select(TimetableRow.site_id)),
        "list_id": (ListRow.id, select(ListRow.site_id)),
        "revision_id": (RevisionRow.id, select(RevisionRow.site_id)),
    },
)
