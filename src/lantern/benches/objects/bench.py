"""The bench of objects on their way: the scene with all its tracks, what became of each, counts by hand, where a line should lie."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy.orm import Session

from lantern.benches.bench import Asked, Bench
from lantern.benches.objects import scenes
from lantern.benches.objects.routes import router
from lantern.benches.objects.walk_routes import router as walk_router
from lantern.core.kinds import detector_of, kind_of
from lantern.core.objects.counting.search import search
from lantern.core.objects.kind import TrackKind
from lantern.takes.tables import takes_of_device
from lantern.tune.tables import DetectorRow
from lantern.tune.tuned import Tell


def _page(session: Session, row: DetectorRow, kind: TrackKind, dials: Any) -> dict[str, Any]:
    ways = {"arrows": kind.arrows.as_dict(), "numbered": kind.ordered, "counts": kind.counts}
    return {"verdicts": scenes.VERDICTS, **ways}


def _objects(asked: Asked) -> list[int]:
    return scenes.objects_shown(asked.session, asked.detector, asked.take, asked.links())


def _beside(asked: Asked) -> dict[str, Any]:
    return scenes.beside(asked.session, asked.detector, asked.take)


def _counts(asked: Asked) -> dict[str, Any]:
    wanted = scenes.CountsAsked.model_validate(asked.draft.also)
    return scenes.counts_shown(asked.session, asked.detector, asked.take, every_s=wanted.every_s, who=wanted.who)


def _line(session: Session, row: DetectorRow, asked: Mapping[str, Any], tell: Tell) -> dict[str, Any]:
    """Where the line should lie, over all takes of the device that somebody counted by hand, whether or not they were asked for."""
    detector: Any = detector_of(asked["detector"])
    takes = [t for t in takes_of_device(session, row.device_id) if t.signal in kind_of(detector.kind).signals]
    found = [scenes.counted(session, detector, take) for take in takes]
    return search([each for each in found if each is not None], progress=tell).as_dict()


BENCH = Bench(
    family="objects",
    page=_page,
    at_once={"objects": _objects},
    parts={"beside": _beside, "counts": _counts},
    studies={"line": _line},
    routers=(router, walk_router),
)
