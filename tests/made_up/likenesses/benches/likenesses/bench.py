"""The bench of likenesses: everybody who came, who they truly were, and the curve of the two errors."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from fastapi.responses import Response
from lantern.core.likenesses.family import Compared
from sqlalchemy.orm import Session

from lantern.benches.bench import Bench, Export, Trial
from lantern.db.base import transaction
from lantern.db.numbers import Id
from lantern.takes.tables import TakeRow
from lantern.tune.judging import subject
from lantern.tune.shown import get_detector
from lantern.tune.tables import DetectorRow
from lantern.web.access import may
from lantern.web.answers import attachment

router = APIRouter()


def _page(session: Session, row: DetectorRow, kind: Any, dials: Any) -> dict[str, Any]:
    return {}


def _held(session: Session, detector: Any, take: TakeRow) -> Compared:
    held = subject(session, detector, take)
    assert isinstance(held, Compared)
    return held


def _people(trial: Trial) -> list[dict[str, Any]]:
    held = _held(trial.session, trial.detector, trial.take)
    return [
        {
            "probe": each.probe,
            "at_s": t,
            "nearest": each.nearest,
            "score": each.score,
            "known": each.score >= held.dials.least_score,
            "truth": held.truly.get(each.probe, ""),
        }
        for t, each in zip(held.probes.t_s.tolist(), held.probes.likenesses, strict=True)
    ]


def _curve(trial: Trial) -> list[tuple[float, int, int]]:
    return _held(trial.session, trial.detector, trial.take).curve()


@router.get("/bench/{detector_id}/curve.csv", **may("viewer"))
def curve_csv(detector_id: Id, take: Id) -> Response:
    with transaction() as session:
        row = get_detector(session, detector_id)
        rows = _held(session, row.model, session.get_one(TakeRow, take)).curve()
    text = "".join(f"{score:g},{confused},{unknown}\n" for score, confused, unknown in rows)
    return Response("score,confused,unknown\n" + text, 200, attachment("curve.csv"), "text/csv; charset=utf-8")


BENCH = Bench(
    family="likenesses",
    page=_page,
    at_once={"people": _people},
    parts={"curve": _curve},
    evidence=frozenset({"strips"}),
    exports=(Export("curve CSV", "curve.csv"),),
    routers=(router,),
)
