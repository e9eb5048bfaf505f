"""The bench of plates: passages as rows, with the vote growing read by read; what is true of them; lists."""

from __future__ import annotations

from typing import Any

from lantern.benches.bench import Bench
from lantern.benches.plates.passages import VERDICTS, character_shown, passages_shown, reads_shown
from lantern.benches.plates.routes import router
from lantern.benches.plates.truths import capture_shown, truth_shown, year_shown
from lantern.core.plates.dials import PlateDials
from lantern.core.plates.kind import PlateKind


def _page(kind: PlateKind, dials: PlateDials) -> dict[str, Any]:
    return {"verdicts": VERDICTS}


BENCH = Bench(
    family="plates",
    page=_page,
    at_once={"passages": passages_shown},
    parts={
        "reads": reads_shown,
        "character": character_shown,
        "truth": truth_shown,
        "capture": capture_shown,
        "year": year_shown,
    },
    routers=(router,),
)
