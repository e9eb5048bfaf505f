"""The bench of plates: passages as rows, with the vote growing read by read; what is true of them; lists."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from lantern.benches.bench import Bench, Export
from lantern.benches.plates.lists_routes import router as lists_router
from lantern.benches.plates.passages import character_shown, passages_shown, reads_shown
from lantern.benches.plates.routes import router
from lantern.benches.plates.truths import capture_shown, forms_shown, truth_shown, year_shown
from lantern.core.plates.capture import CHARACTER_MM, PLATE_HEIGHT_MM, PLATE_WIDTH_MM
from lantern.core.plates.detector import PlateDetector
from lantern.core.plates.dials import PlateDials
from lantern.core.plates.kind import PlateKind
from lantern.core.plates.verdicts import WORDS
from lantern.lists.tables import lists_of
from lantern.tune.tables import DetectorRow


def _page(session: Session, row: DetectorRow, kind: PlateKind, dials: PlateDials) -> dict[str, Any]:
    lists = {held.name: len(held.body["entries"]) for held in lists_of(session, row.site_id, holding="entries")}
    plate = {"character_mm": CHARACTER_MM, "width_mm": PLATE_WIDTH_MM, "height_mm": PLATE_HEIGHT_MM}
    return {"verdicts": WORDS, "siteLists": lists, "plate": plate}


BENCH: Bench[PlateDetector, PlateKind, PlateDials] = Bench(
    family="plates",
    page=_page,
    at_once={"passages": passages_shown},
    parts={
        "reads": reads_shown,
        "character": character_shown,
        "truth": truth_shown,
        "capture": capture_shown,
        "year": year_shown,
        "forms": forms_shown,
    },
    lists=(Export("Lists of plates", "/lists"),),
    routers=(router, lists_router),
)
