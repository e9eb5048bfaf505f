"""Each list's own threshold: its evidence strip over the takes, and what it means on every take beside the one that is shown."""

from __future__ import annotations

from typing import Any

from lantern.benches.bench import Trial
from lantern.core.faces.detector import FaceDetector
from lantern.core.faces.scores import Share, scores_of
from lantern.core.faces.subject import FaceSubject
from lantern.tune.evidence import Held, strips
from lantern.tune.judging import subject

DIAL = "threshold"


def lists_shown(trial: Trial[FaceDetector]) -> dict[str, Any]:
    """Return by list its strip, over this take or all, and its rates by take."""
    held = _held(trial)
    names = [each.name for each in held[0][1].lists] if held else []
    return {
        "lists": [
            {"name": name, "strip": _strip(trial, held, place), "takes": _by_take(trial, place)}
            for place, name in enumerate(names)
        ]
    }


def _held(trial: Trial[FaceDetector]) -> list[tuple[Held, FaceSubject]]:
    out = []
    for each in trial.held():
        assert isinstance(each.subject, FaceSubject)
        out.append((each, each.subject))
    return out


def _strip(trial: Trial[FaceDetector], held: list[tuple[Held, FaceSubject]], place: int) -> dict[str, Any] | None:
    alone = [Held(on.alone(place), each.marks) for each, on in held]
    return strips(alone, [DIAL], trial.wishes, trial.scale).get(DIAL)


def _by_take(trial: Trial[FaceDetector], place: int) -> list[dict[str, Any]]:
    """Rates of single comparisons on each take that is tuned on: a score means something else wherever light, camera or program
    are others.
    """
    out = []
    for take in trial.tuned:
        on = subject(trial.session, trial.detector, take)
        assert isinstance(on, FaceSubject)
        own = on.looks.against(frozenset(on.lists[place].members))
        scores, threshold = scores_of(own), on.thresholds[place]
        out.append(
            {
                "take": take.name,
                "here": take.id == trial.take.id,
                "algorithm": on.looks.algorithm,
                "fmr": _rate(None if on.looks.cut else scores.fmr(threshold)),
                "fnmr": _rate(scores.fnmr(threshold)),
            }
        )
    return out


def _rate(share: Share | None) -> dict[str, float] | None:
    return None if share is None else {"share": share.share, "low": share.low, "high": share.high}
