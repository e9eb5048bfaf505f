"""What only the pages of plates ask for: what a passage truly was, and what came too late."""

from __future__ import annotations

from fastapi import APIRouter, HTTPException, Request
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field

from lantern.benches.plates.lists import REMOVED
from lantern.benches.plates.passages import set_truth
from lantern.db.base import transaction
from lantern.db.numbers import Id
from lantern.live.late import late_of
from lantern.takes.tables import TakeRow
from lantern.tune.shown import get_detector
from lantern.web.access import may
from lantern.web.answers import json_answer
from lantern.web.door import user_id

router = APIRouter()


class TruthIn(BaseModel):
    """`at_s`: when the passage was first read."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    vehicle: str = Field(min_length=1, max_length=200)
    at_s: float = Field(ge=0, le=4e7)
    text: str = Field(max_length=40)


@router.get("/walk/{detector_id}/late", **may("viewer"))
def late_reads(detector_id: Id) -> Response:
    """What its reader sent too late to open anything, the newest first."""
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


@router.put("/takes/{take_id}/truth", **may("engineer", "typed what a plate truly was"))
def put_truth(request: Request, take_id: Id, told: TruthIn) -> Response:
    """What one passage of a take truly was; an empty text takes it back."""
    with transaction() as session:
        take = session.get(TakeRow, take_id)
        if take is None or take.signal != "plates":
            raise HTTPException(404, f"There is no take of plates {take_id}.")
        by = user_id(request)
        row = set_truth(session, take, vehicle=told.vehicle, at_s=told.at_s, text=told.text, user_id=by)
        return json_answer({"text": row.text})
