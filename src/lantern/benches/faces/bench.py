"""The bench of faces: scores of one person and of two, the curve between the errors, and the looks of a day."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from lantern.benches.bench import Bench, Export
from lantern.benches.faces.by_list import lists_shown
from lantern.benches.faces.people import router
from lantern.benches.faces.scores import curves_shown, look_shown, people_shown, working_shown
from lantern.core.faces.detector import FaceDetector
from lantern.core.faces.dials import FaceDials
from lantern.core.faces.kind import FaceKind
from lantern.lists.tables import lists_of
from lantern.tune.tables import DetectorRow


def _page(session: Session, row: DetectorRow, kind: FaceKind, dials: FaceDials) -> dict[str, Any]:
    own = lists_of(session, row.site_id, holding="members")
    return {"siteLists": {each.name: len(each.body["members"]) for each in own}}


BENCH: Bench[FaceDetector, FaceKind, FaceDials] = Bench(
    family="faces",
    page=_page,
    at_once={"working": working_shown},
    parts={"curves": curves_shown, "people": people_shown, "look": look_shown, "lists": lists_shown},
    lists=(Export("Lists of people", "/people-lists"), Export("Persons", "/persons")),
    routers=(router,),
)
