"""What the bench of faces draws: scores of one person and of two by list, the curve between the errors, growth, groups, looks."""

from __future__ import annotations

from typing import Any

import numpy as np
from scipy.special import ndtri

from lantern.benches.bench import Trial
from lantern.core.faces.alarms import Traffic, days_of, traffic_of, wished
from lantern.core.faces.detector import FaceDetector
from lantern.core.faces.groups import groups_of
from lantern.core.faces.list_size import growth, missed
from lantern.core.faces.lookalikes import matrix_of, pairs_of, people_of
from lantern.core.faces.looks import MATED, NON_MATED, Looks
from lantern.core.faces.pauses import pauses
from lantern.core.faces.report import cautions, failures
from lantern.core.faces.resampling import band
from lantern.core.faces.scores import Scores, Share, scores_of
from lantern.core.faces.subject import FaceSubject
from lantern.core.faces.verdicts import verdict
from lantern.core.faults import Fault, Refused
from lantern.core.signals import Floats
from lantern.core.tuning.wishes import Wishes
from lantern.core.wording import many
from lantern.persons.tables import capture_of, person_named, secrets_of
from lantern.tune.judging import subject

BINS = 50
MOST_POINTS, BAND_POINTS = 240, 32
ENDS = 1e-4, 0.6  # shares at the ends of the axes of the curve
TICKS = (1e-3, 0.01, 0.05, 0.2, 0.5)
SIZES = np.unique(np.round(np.geomspace(1, 1000, 31)))


def faces_of(trial: Trial[FaceDetector]) -> FaceSubject:
    held = subject(trial.session, trial.detector, trial.take)
    assert isinstance(held, FaceSubject)
    return held


# ---- what no dial changes ----


def curves_shown(trial: Trial[FaceDetector]) -> dict[str, Any]:
    """Return by list the histograms of its members' scores, and the curve between the errors with its interval."""
    held = faces_of(trial)
    low, high = held.looks.range
    edges = np.linspace(low, high, BINS + 1)
    return {
        "edges": edges.tolist(),
        "axis": {"ends": deviates(np.array(ENDS)), "ticks": [list(TICKS), deviates(np.array(TICKS))]},
        "lists": [_curve(own, edges) for own in _by_list(held)],
        "failures": _share(failures(held.looks)),
    }


def _by_list(held: FaceSubject) -> list[Looks]:
    """Return by list the looks as they were held against its members."""
    return [held.looks.against(frozenset(each.members)) for each in held.lists]


def _curve(looks: Looks, edges: Floats) -> dict[str, Any]:
    scores = scores_of(looks)
    breaks, (fmr, fnmr) = scores.breaks, scores.curve
    at = np.unique(np.linspace(0, max(breaks.size - 1, 0), min(MOST_POINTS, breaks.size)).astype(np.intp))
    summary = scores.summary
    return {
        "mated": np.histogram(scores.mated, edges)[0].tolist(),
        "non_mated": np.histogram(scores.non_mated, edges)[0].tolist(),
        "counts": [int(scores.mated.size), int(scores.non_mated.size), scores.subjects],
        "det": {
            "threshold": breaks[at].tolist(),
            "fmr": fmr[at].tolist(),
            "fnmr": fnmr[at].tolist(),
            "at": [deviates(fmr[at]), deviates(fnmr[at])],
        },
        "band": looks.remember("band", lambda: _band(looks, scores)),
        "eer": None if summary is None else [summary.eer, summary.threshold],
        "d_prime": scores.d_prime,
        "cautions": cautions(looks, scores, None),
    }


def _band(looks: Looks, scores: Scores) -> dict[str, Any] | None:
    """At some thresholds between the errors: (thresholds, FMR from, to, FNMR from, to)."""
    if not scores.non_mated.size or not scores.mated.size:
        return None
    low = float(np.quantile(scores.non_mated, 0.5))
    high = float(np.quantile(scores.mated, 0.95))
    if low >= high:
        return None
    thresholds = np.linspace(low, high, BAND_POINTS)
    false_matches = band(looks, NON_MATED, thresholds, errors_above=True)
    misses = band(looks, MATED, thresholds, errors_above=False)
    if false_matches is None or misses is None:
        return None
    return {"threshold": thresholds.tolist(), "at": [deviates(each) for each in (*false_matches, *misses)]}


def deviates(shares: Floats) -> list[float]:
    """(k,) shares as normal deviates, where they lie on the axes of the curve; beyond its ends they lie at them."""
    out: list[float] = np.round(ndtri(np.clip(shares, *ENDS)), 4).tolist()
    return out


# ---- what is drawn while a hand moves ----


def working_shown(trial: Trial[FaceDetector]) -> dict[str, Any]:
    """Return by list what its threshold gives: rates with intervals, false alarms a day, growth with the list."""
    held = faces_of(trial)
    limit, days = _wish(trial.wishes), days_of(held.looks)
    lists = []
    for place, own in enumerate(_by_list(held)):
        scores, threshold = scores_of(own), held.thresholds[place]
        traffic = traffic_of(own)
        fmr, fnmr = scores.fmr(threshold), scores.fnmr(threshold)
        lists.append(
            {
                "name": held.lists[place].name,
                "members": len(held.lists[place].members),
                "own": held.lists[place].threshold is not None,
                "threshold": threshold,
                "fmr": _share(fmr) if not held.looks.cut else None,
                "fnmr": _share(fnmr),
                **_false_alarms(held, place, days),
                "wished": _wished(scores, traffic, limit, len(held.lists[place].members)),
                "growth": _growth(own, threshold, traffic),
                "held": _held_off(held, place),
                "passers": None if traffic is None else round(traffic.passers),
                "looks_each": None if traffic is None else round(traffic.looks, 2),
            }
        )
    return {"lists": lists}


def _share(share: Share | None) -> dict[str, Any] | None:
    """With its place on the axes of the curve: itself, and both ends of its interval."""
    if share is None:
        return None
    return share._asdict() | {"at": deviates(np.array([share.share, share.low, share.high]))}


def _wish(wishes: Wishes) -> float | None:
    held = wishes.limits.get("false_per_day")
    return None if held is None else float(held)


def _false_alarms(held: FaceSubject, place: int, days: float | None) -> dict[str, Any]:
    """Of this list: raises of somebody who is not who they were taken for, a day; how many of them by light, or whatever else."""
    false, right = [], 0
    for each in held.raises:
        if each.place == place:
            mated = int(held.looks.mated[each.row])
            right += mated == MATED
            if mated == NON_MATED:
                false.append(each.look)
    a_day = None if days is None else len(false) / days
    return {"false": len(false), "false_a_day": a_day, "right": right, "false_by": _by_group(held.looks, false)}


def _by_group(looks: Looks, which: list[int]) -> list[list[Any]]:
    """(column, word, so many), of columns that part a take."""
    out: list[list[Any]] = []
    for name, column in looks.groups.items():
        if 2 <= len(column.words) <= 6:
            codes = column.code[looks.first[which]] if which else np.zeros(0, dtype=np.int32)
            counts = np.bincount(codes, minlength=len(column.words))
            out += [[name, word, int(counts[code])] for code, word in enumerate(column.words)]
    return out


def _wished(scores: Scores, traffic: Traffic | None, limit: float | None, enrolled: int) -> dict[str, Any] | None:
    if limit is None or traffic is None or not enrolled or not scores.non_mated.size:
        return None
    try:
        found = wished(scores, traffic, limit, enrolled)
    except Refused as refused:
        return {"refused": "; ".join(str(fault) for fault in refused.faults)}
    missed = scores.fnmr(found.threshold)
    return {
        "a_day": found.a_day,
        "threshold": found.threshold,
        "extrapolated": found.extrapolated,
        "needs": found.needs,
        "fnmr": _share(missed),
    }


def _growth(looks: Looks, threshold: float, traffic: Traffic | None) -> dict[str, Any] | None:
    """Looks of people who are not on the list that match somebody, by the size of the list, drawn of this one's members."""
    if traffic is None:
        return None
    grown, lost = growth(looks, threshold, SIZES), missed(looks, threshold, SIZES)
    return {
        "missed": [None if np.isnan(v) else round(float(v), 6) for v in lost.share],
        "missed_measured": lost.measured.tolist(),
        "sizes": SIZES.tolist(),
        "a_day": [None if np.isnan(v) else round(float(v) * traffic.passers * traffic.looks, 6) for v in grown.share],
        "measured": grown.measured.tolist(),
    }


def _held_off(held: FaceSubject, place: int) -> list[list[Any]]:
    """(from, to, in words) of each hold-off."""
    if held.dials.when != "listed":
        return []
    return [
        [round(each.from_s, 2), round(min(each.to_s, held.length_s), 2), f"{each.candidate}: {_swallowed(each.looks)}"]
        for each in pauses(held, place)
    ]


def _swallowed(looks: int) -> str:
    return "announced once" if looks == 0 else f"announced once for {many(looks + 1, 'look')}"


# ---- what is asked for by a panel ----


def people_shown(trial: Trial[FaceDetector]) -> dict[str, Any]:
    """Return by list who is missed, who is taken for whom, and the groups at its threshold."""
    held = faces_of(trial)
    out = []
    for place, own in enumerate(_by_list(held)):
        threshold = held.thresholds[place]
        out.append(
            {
                "name": held.lists[place].name,
                "people": [list(each) for each in people_of(own, threshold)],
                "pairs": [list(each) for each in pairs_of(own, threshold)],
                "matrix": _matrix(own),
                "groups": [
                    {
                        "column": each.column,
                        "word": each.word,
                        "subjects": each.subjects,
                        "small": each.small,
                        "fmr": _share(each.fmr),
                        "fnmr": _share(each.fnmr),
                        "fails": each.fails,
                    }
                    for each in groups_of(own, threshold)
                ],
            }
        )
    return {"lists": out}


def look_shown(trial: Trial[FaceDetector]) -> dict[str, Any]:
    """Return the look at the moment that is asked for: its best candidates, and why it raised or not."""
    held = faces_of(trial)
    asked = trial.draft.also.get("look_s")
    if not isinstance(asked, int | float) or not len(held.looks):
        raise Refused([Fault("also: look_s", repr(asked)[:40], "seconds of the take")])
    at = int(np.argmin(np.abs(held.looks.t_s - float(asked))))
    rows = np.arange(held.looks.first[at], held.looks.first[at + 1])
    best = rows[np.argsort(-held.looks.score[rows], kind="stable")][:6]
    said = verdict(held, at)
    return _pictures(trial, held, at) | {
        "t": float(held.looks.t_s[at]),
        "probe": held.looks.probe[at],
        "groups": held.looks.group_of(at),
        "said": said.text,
        "code": said.code,
        "candidates": [
            [held.looks.candidate.at(row), float(held.looks.score[row]), int(held.looks.mated[row])]
            for row in best.tolist()
        ],
    }


def _pictures(trial: Trial[FaceDetector], held: FaceSubject, at: int) -> dict[str, Any]:
    """Return where the picture of a look is, and that of whom on the lists it is most like: those that are kept."""
    device_id, probe = trial.take.device_id, held.looks.probe[at]
    bests = [(float(best.score[at]), int(best.row[at])) for best in held.bests if best.row[at] >= 0]
    nearest = held.looks.candidate.at(max(bests)[1]) if bests else ""
    person = person_named(trial.session, trial.row.site_id, nearest)
    known = person is not None and person.id in secrets_of(trial.session, [person.id], "portrait")
    return {
        "device": device_id,
        "pictured": capture_of(trial.session, device_id, probe) is not None,
        "reference": nearest if known else None,
    }


def _matrix(looks: Looks) -> dict[str, Any]:
    found = matrix_of(looks)
    return {
        "subjects": found.subjects,
        "candidates": found.candidates,
        "highest": [[None if np.isnan(v) else v for v in row] for row in found.highest.tolist()],
    }
