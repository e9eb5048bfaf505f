"""The bench of a head that follows: the plan with where it looked, and the picture that it would have had."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from lantern.benches.bench import Bench
from lantern.benches.following.scene import fates_shown, moment_shown, target_shown, ways_shown
from lantern.core.following.detector import FollowDetector
from lantern.core.following.dials import FollowDials
from lantern.core.following.kind import FollowKind
from lantern.tune.tables import DetectorRow


def _page(session: Session, row: DetectorRow, kind: FollowKind, dials: FollowDials) -> dict[str, Any]:
    return {}


BENCH: Bench[FollowDetector, FollowKind, FollowDials] = Bench(
    family="following",
    page=_page,
    at_once={"fates": fates_shown},
    parts={"ways": ways_shown, "moment": moment_shown, "target": target_shown},
)
