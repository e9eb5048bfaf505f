"""Bare detections followed: what became of each, which targets broke off, what each dial of it would miss and raise falsely."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from lantern.benches.bench import Trial
from lantern.benches.radar.scene import judged
from lantern.core.dials import describe
from lantern.core.kinds import detector_of
from lantern.core.radar.regions import RadarDetector
from lantern.core.radar.subject import RadarSubject
from lantern.core.radar.tracking.clutter import learnt
from lantern.core.radar.tracking.dials import GROUPS, Tracking
from lantern.core.radar.tracking.following import Followed, followed, mend
from lantern.core.radar.tracking.subject import following
from lantern.core.scoring.marks import within
from lantern.db.work import Tell
from lantern.takes.tables import TakeRow, marks_of
from lantern.tune.evidence import Held, strips
from lantern.tune.judging import subject
from lantern.tune.tables import DetectorRow

MOST_BREAKS, MOVES_M = 50, 2.0  # that are listed; a target that goes farther is on its way


def dials_of_following() -> dict[str, Any]:
    """Return what a page needs to know of the dials by which detections are followed."""
    infos = {
        info.name: info.as_dict() | {"shown": {"unit": info.unit, "factor": 1.0, "offset": 0.0}}
        for info in describe(Tracking)
    }
    return {"infos": infos, "groups": [[title, list(names)] for title, names in GROUPS]}


def followed_shown(trial: Trial[RadarDetector]) -> dict[str, Any]:
    """Return what became of the take's detections, and which targets broke off."""
    held = judged(trial)
    if not held.raw.bare:
        return {"bare": False}
    dials, clutter = trial.detector.tracking or Tracking(), trial.detector.clutter
    done = followed(held.raw, dials, clutter)
    breaks = [[each.target, each.lost_s, each.again, each.again_s] for each in done.breaks[:MOST_BREAKS]]
    on = following(held)
    return {
        "bare": True,
        "dials": dials.model_dump(),
        "matters": [name for name in Tracking.model_fields if on.matters(name)],
        "counts": [[word, count] for word, count in done.counts.items()],
        "targets": len(done.returns.ids),
        "broke": len(done.breaks),
        "breaks": breaks,
        "clutter": None if clutter is None else {"cells": len(clutter.cells), "moments": clutter.moments},
    }


def mend_shown(trial: Trial[RadarDetector]) -> dict[str, Any] | None:
    """Return the dial that would keep most targets whole; None: none breaks, or none would."""
    held = judged(trial)
    found = mend(held.raw, trial.detector.tracking or Tracking(), trial.detector.clutter) if held.raw.bare else None
    return None if found is None else dict(zip(("dial", "value", "left"), found, strict=True))


def following_strips(trial: Trial[RadarDetector]) -> dict[str, Any]:
    """Return the evidence strips of the dials that are asked for, over this take or all."""
    held = [
        Held(following(each.subject), each.marks) for each in trial.held() if isinstance(each.subject, RadarSubject)
    ]
    return strips(held, trial.draft.strips, trial.wishes, trial.scale)


def clutter_study(session: Session, row: DetectorRow, asked: Mapping[str, Any], tell: Tell) -> dict[str, Any]:
    """Learn what always answers from the takes that are tuned on, wherever no mark says that something came."""
    detector: Any = detector_of(asked["detector"])
    maps = []
    for done, take_id in enumerate(asked["takes"]):
        take = session.get_one(TakeRow, take_id)
        held = subject(session, detector, take)
        assert isinstance(held, RadarSubject)
        raw = held.raw
        followers = following(held)
        marks = [each.as_mark() for each in marks_of(session, take.id)]
        came = [(mark.from_s, mark.end_s) for mark in marks if mark.label != "quiet"]
        quiet = np.array([not any(within(t, *each) for each in came) for t in raw.t_s.tolist()], dtype=np.bool_)
        whole = followed(raw, followers.dials)
        maps.append(learnt(raw, quiet, moving=_on_their_way(whole)))
        tell(done + 1, len(asked["takes"]))
    best = max(maps, key=lambda each: each.moments)
    return {"clutter": best.model_dump(mode="json"), "cells": len(best.cells), "moments": best.moments}


def _on_their_way(done: Followed) -> list[int]:
    """Return the rows of targets that went somewhere."""
    x, y = done.returns.places
    out: list[int] = []
    for target in range(len(done.returns.ids)):
        mine = np.flatnonzero(done.returns.target == target)
        if np.hypot(np.ptp(x[mine]), np.ptp(y[mine])) > MOVES_M:
            out += done.row[mine].tolist()
    return out
