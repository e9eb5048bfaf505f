"""The stage of tuning, as the frame of every page knows it: its detectors are lines of the rail."""

from __future__ import annotations

from collections import defaultdict

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.wording import many
from lantern.recordings.tables import days_over
from lantern.tune.comparing import router as comparing
from lantern.tune.detector_routes import router as detectors
from lantern.tune.revision_routes import router as revisions
from lantern.tune.routes import router as benches
from lantern.tune.staleness import stale_detectors
from lantern.tune.tables import DetectorRow, StudyRow, count_restless
from lantern.web.frame import RailLine, Stage

DAY_OVER = "a day is recorded: tune"
GLYPHS = {"steady": "hit", "cries wolf": "false", "misses": "miss"}


def _rail(session: Session, site_id: int) -> dict[int, list[RailLine]]:
    """Detectors that are in use, by device, in the order of their names."""
    query = select(DetectorRow.id, DetectorRow.device_id, DetectorRow.name, DetectorRow.verdict, DetectorRow.caution)
    in_use = (DetectorRow.site_id == site_id, DetectorRow.retired.is_(False))
    wide, stale = days_over(session), stale_detectors(session, site_id)
    lines = defaultdict(list)
    for row in session.execute(query.where(*in_use).order_by(DetectorRow.name)):
        word = DAY_OVER if row.device_id in wide else row.verdict
        glyph = GLYPHS.get(row.verdict, "none")
        caution = ". ".join(filter(None, [row.caution, stale.get(row.id, "")]))
        word, glyph = ("stale", "caution") if row.id in stale else (word, glyph)
        line = RailLine(name=row.name, word=word, glyph=glyph, id=row.id, caution=caution)
        lines[row.device_id].append(line)
    return lines


def _count(session: Session, site_id: int) -> tuple[int, str]:
    count = count_restless(session, site_id)
    return count, many(count, "detector misses or cries wolf", "detectors miss or cry wolf")


STAGE = Stage(
    key="tune",
    label="Tune",
    place=3,
    address="/bench",
    routers=(
        benches,
        revisions,
        detectors,
        comparing,
    ),
    count=_count,
    rail=_rail,
    owners={
        "detector_id": (DetectorRow.id, select(DetectorRow.site_id)),
        "study_id": (StudyRow.id, select(StudyRow.site_id)),
    },
)
