"""The stage of takes, as the frame of every page knows it."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lantern.register.tables import DeviceRow
from lantern.takes.counts import router as counts
from lantern.takes.import_routes import router as imports
from lantern.takes.routes import router as takes
from lantern.takes.tables import HandCountRow, ImportRow, MarkRow, TakeRow
from lantern.web.frame import Stage


def _count(session: Session, site_id: int) -> tuple[int, str]:
    mine = select(func.count(TakeRow.id)).join(DeviceRow).where(DeviceRow.site_id == site_id)
    return 0, f"{session.scalar(mine) or 0} takes"


_of_take = select(DeviceRow.site_id).join(TakeRow, TakeRow.device_id == DeviceRow.id)
STAGE = Stage(
    key="takes",
    label="Takes",
    place=2,
    address="/takes",
    routers=(
        imports,
        takes,
        counts,
    ),
    of_detector=False,
    count=_count,
    owners={
        "take_id": (TakeRow.id, _of_take),
        "mark_id": (MarkRow.id, _of_take.join(MarkRow, MarkRow.take_id == TakeRow.id)),
        "row_id": (HandCountRow.id, _of_take.join(HandCountRow, HandCountRow.take_id == TakeRow.id)),
        "import_id": (ImportRow.id, select(ImportRow.site_id)),
    },
)
