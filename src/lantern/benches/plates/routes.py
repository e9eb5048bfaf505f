"""What only the pages of plates ask for: what came too late."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import Response

from lantern.benches.plates.lists import REMOVED
from lantern.db.base import transaction
from lantern.db.numbers import Id
from lantern.live.late import late_of
from lantern.tune.shown import get_detector
from lantern.web.access import may
from lantern.web.answers import json_answer

router = APIRouter()


@router.get("/walk/{detector_id}/late", **may("viewer"))
def late_reads(detector_id: Id) -> Response:
    """Return what its reader sent too late to open anything, the newest first."""
    with transaction() as session:
        row = get_detector(session, detector_id)
        return json_answer(
            [
                {
                    "id": late.id,
                    "at": late.at.timestamp(),
                    "late_s": round((late.came_at - late.at).total_seconds(), 1),
                    "texts": [read["text"] or REMOVED for read in late.body["reads"]],
                }
                for late in late_of(session, row.device_id)
            ]
        )
