"""The bench of radars: the sector before the unit, returns on it, and the way that each target comes."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from lantern.benches.bench import Bench
from lantern.benches.radar.alongside import alongside_shown, cameras_shown
from lantern.benches.radar.following import (
    clutter_study,
    dials_of_following,
    followed_shown,
    following_strips,
    mend_shown,
)
from lantern.benches.radar.placed import carried_shown, ground_shown, least_study, moved_shown
from lantern.benches.radar.profiles import profiles_shown, router
from lantern.benches.radar.registering import router as registering
from lantern.benches.radar.scene import (
    fates_shown,
    moment_shown,
    sides_shown,
    target_shown,
    ways_shown,
)
from lantern.core.radar.dials import RadarDials
from lantern.core.radar.kind import RadarKind
from lantern.core.radar.regions import RadarDetector
from lantern.tune.tables import DetectorRow


def _page(session: Session, row: DetectorRow, kind: RadarKind, dials: RadarDials) -> dict[str, Any]:
    return {"following": dials_of_following()}


BENCH: Bench[RadarDetector, RadarKind, RadarDials] = Bench(
    family="radar",
    page=_page,
    at_once={"fates": fates_shown},
    parts={
        "ways": ways_shown,
        "moment": moment_shown,
        "target": target_shown,
        "profiles": profiles_shown,
        "sides": sides_shown,
        "ground": ground_shown,
        "moved": moved_shown,
        "carried": carried_shown,
        "cameras": cameras_shown,
        "alongside": alongside_shown,
        "followed": followed_shown,
        "mend": mend_shown,
        "following": following_strips,
    },
    studies={"least": least_study, "clutter": clutter_study},
    routers=(router, registering),
)
