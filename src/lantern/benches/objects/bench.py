"""The bench of objects on their way: the scene with all its tracks, what became of each, counts by hand, where a line should lie."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy.orm import Session

from lantern.benches.bench import Bench, Trial
from lantern.benches.objects import scenes
from lantern.benches.objects.routes import router
from lantern.benches.objects.walk_routes import router as walk_router
from lantern.core.kinds import detector_of, kind_of
from lantern.core.objects.counting.search import search
from lantern.core.objects.dials import ObjectDials
from lantern.core.objects.kind import AnyTrackKind
from lantern.core.objects.region import ObjectDetector
from lantern.db.work import Tell
from lantern.takes.tables import takes_of_device
from lantern.tune.tables import DetectorRow


def _page(session: Session, row: DetectorRow, kind: AnyTrackKind, dials: ObjectDials) -> dict[str, Any]:
    ways = {"arrows": kind.arrows.as_dict(), "numbered": kind.ordered, "counts": kind.counts}
    return {"verdicts": scenes.VERDICTS, **ways}


def _objects(trial: Trial[ObjectDetector]) -> list[int]:
    return scenes.objects_shown(trial.session, trial.detector, trial.take, trial.links())


def _beside(trial: Trial[ObjectDetector]) -> dict[str, Any]:
    return scenes.beside(trial.session, trial.detector, trial.take)


def _counts(trial: Trial[ObjectDetector]) -> dict[str, Any]:
    wanted = scenes.CountsAsked.model_validate(trial.draft.also)
    return scenes.counts_shown(trial.session, trial.detector, trial.take, every_s=wanted.every_s, who=wanted.who)


def _line(session: Session, row: DetectorRow, asked: Mapping[str, Any], tell: Tell) -> dict[str, Any]:
    """Return where the line should lie, over all takes of the device that somebody counted by hand, whether or not they
    were asked for.
    """
    detector: Any = detector_of(asked["detector"])
    takes = [t for t in takes_of_device(session, row.device_id) if t.signal in kind_of(detector.kind).signals]
    found = [scenes.counted(session, detector, take) for take in takes]
    return search([each for each in found if each is not None], progress=tell).as_dict()


BENCH: Bench[ObjectDetector, AnyTrackKind, ObjectDials] = Bench(
    family="objects",
    page=_page,
    at_once={"objects": _objects},
    parts={"beside": _beside, "counts": _counts},
    studies={"line": _line},
    routers=(router, walk_router),
)
