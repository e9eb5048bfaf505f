"""The bench of readings: the heat image, noise and physics, the people of a screening, advice."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy.orm import Session

from lantern.benches.bench import Bench, Trial
from lantern.benches.readings import physics
from lantern.benches.readings.routes import router
from lantern.core.kinds import detector_of
from lantern.core.readings.advice import advise
from lantern.core.readings.heat.dials import HeatDials
from lantern.core.readings.heat.materials import MATERIALS
from lantern.core.readings.kind import AnySeriesKind
from lantern.core.readings.region import ReadingDetector
from lantern.core.readings.skin.dials import SkinDials
from lantern.core.tuning.raises import RAISES
from lantern.core.tuning.wishes import Wishes
from lantern.db.work import Tell
from lantern.takes.tables import takes_by_id
from lantern.tune.evidence import hold
from lantern.tune.tables import DetectorRow


def _page(session: Session, row: DetectorRow, kind: AnySeriesKind, dials: HeatDials | SkinDials) -> dict[str, Any]:
    return {"levelInPicture": kind.unit(dials) == "°C", "materials": [material.as_dict() for material in MATERIALS]}


def _noise(trial: Trial[ReadingDetector]) -> dict[str, Any]:
    return physics.noise_figures(trial.held())


def _spot(trial: Trial[ReadingDetector]) -> dict[str, Any] | None:
    return physics.spot_of(trial.session, trial.take, trial.detector)


def _pixels(trial: Trial[ReadingDetector]) -> dict[str, list[int]]:
    return physics.pixels_shown(trial.take, trial.detector)


def _advice(session: Session, row: DetectorRow, asked: Mapping[str, Any], tell: Tell) -> dict[str, Any]:
    """Other ways to look, each with the level that suits it best."""
    held = hold(session, detector_of(asked["detector"]), takes_by_id(session, asked["takes"]))
    found = advise([(physics.readings_of(h), h.marks) for h in held], Wishes.of(RAISES, asked["wishes"]), progress=tell)
    return {"advice": [each.as_dict() for each in found]}


BENCH: Bench[ReadingDetector, AnySeriesKind, HeatDials | SkinDials] = Bench(
    family="readings",
    page=_page,
    parts={"noise": _noise, "spot": _spot, "pixels": _pixels},
    studies={"advice": _advice},
    routers=(router,),
)
