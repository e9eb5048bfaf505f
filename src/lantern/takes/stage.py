"""The stage of takes, as the frame of every page knows it."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.wording import many
from lantern.takes.counts import router as counts
from lantern.takes.export_routes import router as exports
from lantern.takes.exports import ExportRow
from lantern.takes.import_routes import router as imports
from lantern.takes.routes import router as takes
from lantern.takes.tables import OF_TAKE, HandCountRow, ImportRow, MarkRow, TakeRow, count_takes
from lantern.web.frame import Stage


def _count(session: Session, site_id: int) -> tuple[int, str]:
    return 0, many(count_takes(session, site_id=site_id), "take")


STAGE = Stage(
    key="takes",
    label="Takes",
    place=2,
    address="/takes",
    routers=(
        imports,
        exports,
        takes,
        counts,
    ),
    of_detector=False,
    count=_count,
    owners={
        "take_id": (TakeRow.id, OF_TAKE),
        "mark_id": (MarkRow.id, OF_TAKE.join(MarkRow, MarkRow.take_id == TakeRow.id)),
        "row_id": (HandCountRow.id, OF_TAKE.join(HandCountRow, HandCountRow.take_id == TakeRow.id)),
        "export_id": (ExportRow.id, OF_TAKE.join(ExportRow, ExportRow.take_id == TakeRow.id)),
        "import_id": (ImportRow.id, select(ImportRow.site_id)),
    },
)
