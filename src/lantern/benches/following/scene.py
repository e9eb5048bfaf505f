"""What the bench of a head that follows draws: everybody's way and how long of it was seen, the head at a moment, and its picture then."""

from __future__ import annotations

from typing import Any

import numpy as np
from pydantic import Field

from lantern.benches.bench import Trial
from lantern.core.faults import Fault, Refused
from lantern.core.following.detector import FollowDetector
from lantern.core.following.simulation import Followed
from lantern.core.following.subject import FollowSubject
from lantern.core.modelled import Strict, read_model
from lantern.core.ptz.sketch import sketched, view_of_aim, wedge
from lantern.core.watch import Aim
from lantern.plan.actions import plan_model
from lantern.tune.judging import subject

MOST_A_WAY, MOST_WAYS = 120, 2000  # points of a way that are drawn, and ways
TRAIL_S = 6.0
KEPT, HALF = 0.9, 0.5  # of its time in the picture, from which on somebody was kept, or partly


class At(Strict):
    """The moment that is asked for."""

    at_s: float = Field(ge=0, le=1e8)


class OfTarget(Strict):
    """The target that is asked for."""

    target: int = Field(ge=0)


def followed(trial: Trial[FollowDetector]) -> FollowSubject:
    held = subject(trial.session, trial.detector, trial.take)
    assert isinstance(held, FollowSubject)
    return held


def ways_shown(trial: Trial[FollowDetector]) -> list[dict[str, Any]]:
    """Return the way of everybody, which no dial changes."""
    tracks = followed(trial).ground.tracks
    first = np.searchsorted(tracks.object, np.arange(len(tracks.ids) + 1))
    out = []
    for number, name in enumerate(tracks.ids[:MOST_WAYS]):
        rows = np.arange(first[number], first[number + 1])
        thin = rows[:: max(len(rows) // MOST_A_WAY, 1)]
        out.append({"name": str(name), "places": tracks.box[thin, :2].round(2).tolist()})
    return out


def fates_shown(trial: Trial[FollowDetector]) -> list[str]:
    """Return by target how long of its time it was in the picture, in a word: the cheap part that follows a drag."""
    done = followed(trial).done
    shares = _shares(done)
    return [_fate(share) for share in shares[:MOST_WAYS]]


def _shares(done: Followed) -> list[float | None]:
    there = np.bincount(done.who, minlength=len(done.ids))
    seen = np.bincount(done.who, weights=done.inside, minlength=len(done.ids))
    return [float(s / n) if n else None for s, n in zip(seen, there, strict=True)]


def _fate(share: float | None) -> str:
    if share is None or share == 0:
        return "unseen"
    return "kept" if share >= KEPT else "half" if share >= HALF else "little"


def moment_shown(trial: Trial[FollowDetector]) -> dict[str, Any]:
    """Return where the head looks at a moment, who is there, and what its picture shows."""
    held, t = followed(trial), read_model(At, trial.draft.also, where="also").at_s
    done, head = held.done, held.head
    aim, current = _aim_at(held, t)
    step = int(np.searchsorted(done.t_s, t + 1e-6)) - 1
    known = step >= 0 and t - done.t_s[step] < 1.0
    rows = np.flatnonzero(done.at == step) if known else np.zeros(0, dtype=np.intp)
    steps = held.places
    seen = [
        {
            "name": str(done.ids[int(done.who[row])]),
            "trail": _trail(held, int(done.who[row]), t),
            "inside": bool(done.inside[row]),
            "height_px": round(float(done.height_px[row]), 1),
            "followed": int(done.who[row]) == current,
        }
        for row in rows.tolist()
    ]
    people = [
        (str(done.ids[int(done.who[row])]), *steps.true[row], held.dials.target_height_m) for row in rows.tolist()
    ]
    walls = [
        (each.points, each.height_m, each.closed) for each in plan_model(trial.session, trial.row.site_id).occluders
    ]
    width, height = held.ground.frame_px
    view = view_of_aim(head, aim, held.ground.frame_px)
    return {
        "t": t,
        "head": [round(head.x_m, 2), round(head.y_m, 2)],
        "wedge": wedge(head, aim, held.ground.frame_px),
        "aim": [round(aim.pan_deg, 2), round(aim.tilt_deg, 2), round(aim.zoom, 2)],
        "field_deg": round(view.mount.hfov_deg, 2),
        "follows": None if current < 0 else str(done.ids[current]),
        "seen": seen,
        "picture": {
            "width": width,
            "height": height,
            "parts": [
                [part.what, [[round(u, 1), round(v, 1)] for u, v in part.points], part.name]
                for part in sketched(view, walls, people)
            ],
        },
    }


def _aim_at(held: FollowSubject, t: float) -> tuple[Aim, int]:
    """Where the head looked, and whom it followed (-1: nobody): as at the last moment at which anybody was there."""
    done = held.done
    step = int(np.searchsorted(done.t_s, t + 1e-6)) - 1
    home = held.home
    if step < 0 or (done.target[step] < 0 and t - done.t_s[step] > TRAIL_S and held.dials.afterwards == "home"):
        return Aim(home.pan_deg, home.tilt_deg, 1.0), -1
    target = int(done.target[step]) if t - done.t_s[step] < 1.0 else -1
    return Aim(float(done.pan_deg[step]), float(done.tilt_deg[step]), float(done.zoom[step])), target


def _trail(held: FollowSubject, who: int, t: float) -> list[list[float]]:
    tracks = held.ground.tracks
    first, end = np.searchsorted(tracks.object, [who, who + 1])
    rows = np.arange(first, end)
    rows = rows[(tracks.t_s[rows] >= t - TRAIL_S) & (tracks.t_s[rows] <= t + 1e-6)]
    found: list[list[float]] = tracks.box[rows, :2].round(2).tolist()
    return found


def target_shown(trial: Trial[FollowDetector]) -> dict[str, Any]:
    """Return what became of somebody, and where they were lost from the picture, in words."""
    held, target = followed(trial), read_model(OfTarget, trial.draft.also, where="also").target
    tracks, done = held.ground.tracks, held.done
    if target >= len(tracks.ids):
        raise Refused([Fault("also: target", str(target), f"0 to {len(tracks.ids) - 1}")])
    name = tracks.ids[target]
    rows = np.flatnonzero(tracks.object == target)
    return {
        "name": str(name),
        "said": held.fate(target).text,
        "lost": [{"t": round(loss.t, 2), "said": held.lost_text(loss)} for loss in done.losses if loss.object == name],
        "times": [float(tracks.t_s[rows[0]]), float(tracks.t_s[rows[-1]])],
    }
