"""Tracks and stills for the pages, and what people counted by hand on a take."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, HTTPException, Query, Request
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session

from lantern.core.counted import CountedByHand, intervals_of
from lantern.core.faults import Fault, Refused
from lantern.db.base import transaction
from lantern.db.numbers import Id
from lantern.formats.tables import read_hand_counts, write_hand_counts
from lantern.takes.marking import import_counts
from lantern.takes.routes import get_take
from lantern.takes.tables import HandCountRow
from lantern.web.access import may
from lantern.web.answers import attachment, json_answer

router = APIRouter()
MOST_PASSAGES = 100_000


class Tally(BaseModel):
    """Somebody watched the take and pressed a key for each passage."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    who: str = Field(min_length=1, max_length=80)
    passages: list[tuple[float, Literal["in", "out"]]] = Field(max_length=MOST_PASSAGES)


@router.get("/takes/{take_id}/still", **may("viewer"))
def still(take_id: Id) -> Response:
    with transaction() as session:
        take = get_take(session, take_id)
        if take.still is None or take.still_type is None:
            raise HTTPException(404, f"Take {take_id} has no picture of its scene.")
        headers = {"Cache-Control": "private, max-age=86400", "X-Content-Type-Options": "nosniff"}
        return Response(take.still, 200, headers, take.still_type)


@router.post("/takes/{take_id}/tallies", **may("operator", "kept a tally"))
def keep_tally(take_id: Id, tally: Tally) -> Response:
    with transaction() as session:
        take = get_take(session, take_id)
        [row] = import_counts(session, take, [CountedByHand(tally.who, tuple(tally.passages))])
        return json_answer({"id": row.id, "who": row.who})


@router.put("/takes/{take_id}/counts.csv", **may("operator", "imported counts"))
async def read_counts(request: Request, take_id: Id, who: Annotated[str, Query(max_length=80)] = "a file") -> Response:
    """A file `start_s,end_s,in,out`."""
    counts = read_hand_counts(await request.body(), where="counts.csv")
    if counts is None:
        raise Refused([Fault("counts.csv, line 1", "another header", "start_s,end_s,in,out")])
    with transaction() as session:
        take = get_take(session, take_id)
        [row] = import_counts(session, take, [CountedByHand(who.strip() or "a file", intervals=tuple(counts))])
        return json_answer({"id": row.id, "who": row.who})


@router.get("/counts/{row_id}.csv", **may("viewer"))
def export_counts(row_id: Id, every_s: Annotated[float, Query(ge=10, le=3600)] = 60.0) -> Response:
    with transaction() as session:
        row = _get(session, row_id)
        take = get_take(session, row.take_id)
        rows = row.intervals or [
            [c.start_s, c.end_s, c.into, c.out]
            for c in intervals_of([(t, way) for t, way in row.passages], take.length_s, every_s)
        ]
        return Response(write_hand_counts(rows), 200, attachment(f"counts-{row_id}.csv"), "text/csv; charset=utf-8")


@router.delete("/counts/{row_id}", **may("operator", "deleted counts"))
def delete_counts(row_id: Id) -> Response:
    with transaction() as session:
        session.delete(_get(session, row_id))
        return json_answer({"deleted": row_id})


def _get(session: Session, row_id: int) -> HandCountRow:
    row = session.get(HandCountRow, row_id)
    if row is None:
        raise HTTPException(404, f"There is no count {row_id}.")
    return row
