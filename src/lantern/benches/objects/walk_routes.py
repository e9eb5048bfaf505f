"""A count tried live: somebody passes once each way, and the counts must follow. Who, when and what came of it is kept."""

from __future__ import annotations

import httpx
import orjson
from fastapi import APIRouter, HTTPException, Request
from fastapi.responses import Response
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.core.objects.counting.passages import PassageTest
from lantern.db.base import now, transaction
from lantern.db.numbers import Id
from lantern.live.calls import ask_engine
from lantern.people.tables import User
from lantern.tune.shown import get_detector
from lantern.tune.tables import DetectorRow
from lantern.walk.tables import WalkTestRow, begin_test
from lantern.web.access import may
from lantern.web.answers import json_answer
from lantern.web.door import user_id
from lantern.web.pages import local

router = APIRouter()
NAME = "passages"


@router.post("/walk/{detector_id}/passages", **may("operator", "began a test of a count"))
def begin(request: Request, detector_id: Id) -> Response:
    """Somebody sets out to pass once in and once out."""
    with transaction() as session:
        row = get_detector(session, detector_id)
        by = session.get_one(User, user_id(request))
        counts = _counts(row)
        test = begin_test(session, detector_id=row.id, revision=row.revision, what=NAME, began_with=counts, user=by)
        return json_answer(_look(session, row, test, counts))


@router.put("/walk/{detector_id}/passages/{test_id}", **may("operator"))
def look(detector_id: Id, test_id: Id) -> Response:
    """Return how it stands now; as soon as it is decided, that is kept."""
    with transaction() as session:
        row, test = get_detector(session, detector_id), session.get(WalkTestRow, test_id, with_for_update=True)
        if test is None or test.detector_id != detector_id or test.what != NAME:
            raise HTTPException(404, f"There is no such test {test_id} of {row.name}.")
        return json_answer(_look(session, row, test, _counts(row) if test.verdict == "open" else test.began_with))


def _look(session: Session, row: DetectorRow, test: WalkTestRow, counts: dict[str, int]) -> dict[str, object]:
    if test.verdict == "open":
        found = PassageTest(*(counts[way] - int(test.began_with[way]) for way in ("in", "out")))
        test.verdict, test.words = found.verdict, found.words
        if found.verdict != "open":
            test.ended = now()
    session.flush()
    who = "" if test.ended is None else f" {test.user.name}, {local(test.ended, row.device.place.site.zone)}"
    return {"id": test.id, "open": test.verdict == "open", "verdict": test.verdict, "words": test.words + who}


def _counts(row: DetectorRow) -> dict[str, int]:
    """Return how many came and left since the engine runs. Raises `Refused` for a detector that counts nobody."""
    try:
        answer = ask_engine("GET", f"/state/{row.device_id}")
    except httpx.HTTPError as error:
        raise HTTPException(503, "The engine does not answer.") from error
    states = orjson.loads(answer.content)["detectors"]
    readings: dict[str, float] = next((state["readings"] for state in states if state["id"] == row.id), {})
    if not {"in", "out"} <= readings.keys():
        raise Refused([Fault("detector", f"{row.name} counts nobody now", "a detector of kind count that runs live")])
    return {way: int(readings[way]) for way in ("in", "out")}
