"""What only a scene's bench asks for: tracks as they are, one object's life, where a line would lie."""

from __future__ import annotations

import zlib

from fastapi import APIRouter, HTTPException
from fastapi.responses import Response

from lantern.benches.objects import scenes
from lantern.core.faults import Fault, Refused
from lantern.core.objects.counting.search import moved_line
from lantern.core.objects.family import TRACKS
from lantern.core.objects.shapes import watched_regions
from lantern.db.base import transaction
from lantern.db.numbers import Id
from lantern.takes.tables import TakeRow
from lantern.tune.drafts import Draft
from lantern.tune.shown import drafted
from lantern.web.access import may
from lantern.web.answers import json_answer

router = APIRouter()


class LineAsked(Draft):
    offset_px: float
    angle_deg: float


@router.post("/bench/{detector_id}/object/{name}", **may("viewer"))
def object_life(detector_id: Id, name: str, draft: Draft) -> Response:
    """One object of the take: its life, and why it raised or did not."""
    with transaction() as session:
        _, take, detector = drafted(session, detector_id, draft)
        return json_answer(scenes.life_of(session, detector, take, name))


@router.get("/takes/{take_id}/tracks", **may("viewer"))
def tracks(take_id: Id) -> Response:
    """Return all tracks of a take as compact binary, deflated; see `scenes.packed_tracks`."""
    with transaction() as session:
        take = session.get(TakeRow, take_id)
        if take is None or take.signal not in TRACKS:
            raise HTTPException(404, f"There is no take of tracks {take_id}.")
        data = zlib.compress(scenes.packed_tracks(session, take), 1)
    headers = {"Content-Encoding": "deflate", "Cache-Control": "private, max-age=3600"}
    return Response(data, 200, headers, "application/octet-stream")


@router.post("/bench/{detector_id}/line", **may("viewer"))
def line_moved(detector_id: Id, asked: LineAsked) -> Response:
    """Return where a detector's first line lies when it is moved and turned, cut off at the picture's edges."""
    with transaction() as session:
        _, take, detector = drafted(session, detector_id, asked)
        moved = moved_line(
            watched_regions(detector.regions)[0], asked.offset_px, asked.angle_deg, (take.width or 0, take.height or 0)
        )
        if moved is None:
            raise Refused([Fault("line", "would leave the picture", "a place within it")])
        return json_answer({"points": moved.points})
