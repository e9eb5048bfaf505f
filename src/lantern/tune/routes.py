"""The bench: a detector on a take, judged while its dials move, and its revisions."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from fastapi import APIRouter, HTTPException, Request
from fastapi.responses import HTMLResponse, Response
from sqlalchemy.orm import Session

from lantern.benches.bench import Trial
from lantern.benches.register import bench_of, parts_drawn
from lantern.core.events import Detector
from lantern.core.kinds import family_of, kind_of
from lantern.core.tuning.wanted import while_wanted
from lantern.db.base import transaction
from lantern.db.numbers import Id
from lantern.formats.tables import write_series
from lantern.jobs import defer_study
from lantern.links.tables import armed_links, timetables_of
from lantern.people.tables import User, scale_of
from lantern.revisions import revisions_of
from lantern.takes.tables import evidence_of_device, marks_of
from lantern.tune import bench, evidence
from lantern.tune.drafts import Draft, StudyAsked
from lantern.tune.judging import subject as held_on
from lantern.tune.newest import NEWEST
from lantern.tune.shown import (
    dials_shown,
    drafted,
    get_detector,
    judgeable,
    render_without_evidence,
    take_for,
    take_shown,
    told_beside,
)
from lantern.tune.staleness import stale_detectors
from lantern.tune.studies import begin_study
from lantern.tune.tables import StudyRow, latest_studies
from lantern.tune.tuned import TunedDetector
from lantern.web.access import may
from lantern.web.answers import attachment, json_answer
from lantern.web.door import user_id
from lantern.web.pages import render

router = APIRouter()


@router.get("/bench/{detector_id}", **may("viewer"))
def bench_page(request: Request, detector_id: Id, take: Id | None = None) -> HTMLResponse:
    with transaction() as session:
        row = get_detector(session, detector_id)
        chosen = take_for(session, row, take)
        takes = judgeable(session, row)
        if chosen is None:
            return render_without_evidence(request, session, row, stage="tune")
        kind = kind_of(row.kind)
        dials = kind.read_dials(row.model)
        scale = scale_of(session, user_id(request))
        links = armed_links(session, row.device.site_id, row.id)
        data: dict[str, Any] = {
            "detector": row.body,
            "detectorId": row.id,
            "revision": row.revision,
            "dials": dials_shown(row.kind, chosen.signal, scale),
            "take": take_shown(chosen, row.device.place.site.zone),
            "takes": [{"id": t.id, "name": t.name, "aside": t.set_aside} for t in takes],
            "marks": [m.as_dict() for m in marks_of(session, chosen.id)],
            "saved": bench.judged(session, row.model, chosen, links, scale),
            "readings": bench.drawn_readings(session, row.model, chosen, scale),
            "scale": {"level": scale.level.as_dict(), "difference": scale.difference.as_dict()},
            "user": session.get_one(User, user_id(request)).name,
            "pair": kind.pair(dials),
            "frame": parts_drawn(row.kind),
            "measures": [measure.as_dict() for measure in kind.yardstick.measures],
            "wishes": [wish.name for wish in kind.yardstick.wishes],
            "timetables": [row.name for row in timetables_of(session, row.site_id)],
            **bench_of(row.kind).page(session, row, kind, dials),
            "studies": {what: study.as_dict() for what, study in latest_studies(session, row.WHAT, row.id).items()},
        }
        return render(
            request,
            session,
            f"bench_{family_of(row.kind).name}.html",
            stage="tune",
            detector=row,
            take=chosen,
            takes=takes,
            data=data,
            bench=bench_of(row.kind),
            infos={info["name"]: info for info in data["dials"]},
            revisions=revisions_of(session, row.WHAT, [row.id]),
            stale=stale_detectors(session, row.site_id).get(row.id, ""),
            **told_beside(request, session, row),
        )


@router.post("/bench/{detector_id}/judge", **may("viewer"))
def judge_draft(request: Request, detector_id: Id, draft: Draft) -> Response:
    """Return what a state would do: `parts` of judged, readings, takes, strips, and those that the family's own bench
    has.
    """
    NEWEST.note(draft.page, draft.turn)
    with transaction() as session:
        row, take, detector = drafted(session, detector_id, draft)
        trial = Trial(
            session=session,
            row=row,
            detector=detector,
            take=take,
            tuned=TunedDetector(row).tuned_on(session, take, together=draft.together),
            draft=draft,
            scale=scale_of(session, user_id(request)),
        )
        own = bench_of(row.kind)
        at_once = [name for name in draft.parts if name == "judged" or name in own.at_once]
        out = {name: _part(trial, name) for name in at_once}
        with while_wanted(partial(NEWEST.outdated, draft.page, draft.turn)):
            out |= {name: _part(trial, name) for name in draft.parts if name not in at_once}
        return json_answer(out)


def _part(trial: Trial[Detector], name: str) -> object:
    common = COMMON_PARTS.get(name)
    return common(trial) if common is not None else bench_of(trial.row.kind).part(name)(trial)


def _judged(trial: Trial[Detector]) -> dict[str, Any]:
    return bench.judged(trial.session, trial.detector, trial.take, trial.links(), trial.scale)


def _readings(trial: Trial[Detector]) -> dict[str, Any]:
    return bench.drawn_readings(trial.session, trial.detector, trial.take, trial.scale)


def _takes(trial: Trial[Detector]) -> dict[str, Any]:
    return bench.cards(trial.session, trial.detector, evidence_of_device(trial.session, trial.row.device_id))


def _strips(trial: Trial[Detector]) -> dict[str, Any]:
    return evidence.strips(trial.held(), trial.draft.strips, trial.wishes, trial.scale)


COMMON_PARTS: dict[str, Callable[[Trial[Detector]], object]] = {
    "judged": _judged,
    "readings": _readings,
    "takes": _takes,
    "strips": _strips,
}


@router.get("/bench/{detector_id}/takes", **may("viewer"))
def takes_now(detector_id: Id) -> Response:
    """Return the takes that it can be judged on now: an open page may have been left behind."""
    with transaction() as session:
        row = get_detector(session, detector_id)
        return json_answer({"takes": [take.id for take in judgeable(session, row)]})


@router.get("/bench/{detector_id}/reading.csv", **may("viewer"))
def reading_csv(detector_id: Id, take: Id) -> Response:
    """Every sample of the saved revision's readings, as the detector sees them."""
    with transaction() as session:
        row = get_detector(session, detector_id)
        chosen = take_for(session, row, take)
        assert chosen is not None
        text = write_series(held_on(session, row.model, chosen).traces())
        name = f"reading-{detector_id}-take-{take}.csv"
        return Response(text, 200, attachment(name), "text/csv; charset=utf-8")


# ---- studies ---------------------------------------------------------------------------------------------------------


@router.post("/bench/{detector_id}/studies", **may("engineer"))
def ask_study(detector_id: Id, asked: StudyAsked) -> Response:
    with transaction() as session:
        row, take, detector = drafted(session, detector_id, asked)
        subject = TunedDetector(row)
        takes = subject.tuned_on(session, take, together=asked.together)
        body = {
            "detector": detector.model_dump(mode="json"),
            "takes": [each.id for each in takes],
            "wishes": asked.wishes,
            "dial_x": asked.dial_x,
            "dial_y": asked.dial_y,
            "dial_x_range": asked.dial_x_range,
            "dial_y_range": asked.dial_y_range,
        }
        study = begin_study(session, subject, asked.what, body)
        answer = study.as_dict()
    defer_study(answer["id"])
    return json_answer(answer)


@router.get("/studies/{study_id}", **may("viewer"))
def study_progress(study_id: Id) -> Response:
    with transaction() as session:
        return json_answer(_study(session, study_id).as_dict())


@router.post("/studies/{study_id}/cancel", **may("engineer"))
def study_cancel(study_id: Id) -> Response:
    with transaction() as session:
        row = _study(session, study_id)
        row.ask_to_end()
        return json_answer(row.as_dict())


def _study(session: Session, study_id: int) -> StudyRow:
    row = session.get(StudyRow, study_id)
    if row is None:
        raise HTTPException(404, f"There is no study {study_id}.")
    return row
