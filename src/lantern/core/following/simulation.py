"""A head following over a whole take: whom it followed from when until when, who was in its picture, and how large."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from lantern.core.following.detector import Areas, FollowDetector, Ground
from lantern.core.following.dials import FollowDials
from lantern.core.following.follower import Follower, Place, Target, Turned
from lantern.core.following.pictures import Loss, lost_from, needed_deg_s
from lantern.core.following.turning import Turning
from lantern.core.ptz.head import Head
from lantern.core.ptz.pictured import NEAREST_M, in_picture, pictured
from lantern.core.ptz.pointing import Direction
from lantern.core.rule import ClearedBy
from lantern.core.signals import Floats
from lantern.core.tracks import Tracks
from lantern.core.tuning.wanted import still_wanted
from lantern.core.watch import Aim
from lantern.core.watching import Indices

STEP_S = 0.1
WANTED_EVERY = 5000
NOWHERE = (0.0, 0.0, 0.0, 0.0)
AROUND_S = 0.6  # within which a place is smoothed; common practice, no source


class Stretch(NamedTuple):
    """From when until when `object` was followed, what ended it and why; `share` of the time it was in the picture."""

    object: int | str
    region: str
    from_s: float
    until_s: float
    by: ClearedBy
    why: str
    share: float


@dataclass(frozen=True)
class Followed:
    """`t_s` (n,) of each step in which somebody was there; `pan_deg`, `tilt_deg`, `zoom` (n,) of the head then; `target` (n,) whom it
    followed (-1: nobody). Of k places: `at` (k,) the step, `who` (k,), `inside` (k,) the picture, `height_px` (k,).
    """

    t_s: Floats
    pan_deg: Floats
    tilt_deg: Floats
    zoom: Floats
    target: Indices
    at: Indices
    who: Indices
    inside: np.ndarray
    height_px: Floats
    stretches: tuple[Stretch, ...]
    losses: tuple[Loss, ...]
    ids: tuple[int | str, ...]
    length_s: float

    @cached_property
    def first_s(self) -> dict[int, float | None]:
        """Of everybody who was there, how long until they were in the picture; None: never."""
        out: dict[int, float | None] = {}
        for who in np.unique(self.who).tolist():
            mine = self.who == who
            seen = self.at[mine & self.inside]
            begins = float(self.t_s[self.at[mine][0]])
            out[who] = None if not seen.size else float(self.t_s[seen[0]]) - begins
        return out


class Steps(NamedTuple):
    """Of each step: who was where."""

    number: Indices  # (m,) of steps in which somebody was there, rising
    first: Indices  # (m + 1,)
    who: list[int]
    places: list[Place]
    true: list[tuple[float, float]]  # where they truly were, as far as their whole way tells


def steps_of(ground: Ground, detector: FollowDetector) -> Steps:
    """Return who was where, step by step: a place counts from the step on in which it came; of several in one step the last."""
    tracks = ground.tracks
    step = np.ceil(tracks.t_s / STEP_S - 1e-6).astype(np.int64)
    last = (
        np.append((step[1:] != step[:-1]) | (tracks.object[1:] != tracks.object[:-1]), True)
        if step.size
        else np.zeros(0, bool)
    )
    rows = np.flatnonzero(last)
    rows = rows[np.argsort(step[rows], kind="stable")]
    x, y = tracks.box[rows, 0], tracks.box[rows, 1]
    may, names = Areas(detector).region(x, y)
    who = tracks.object[rows].tolist()
    places = [
        Place(tracks.ids[each], *rest)
        for each, *rest in zip(who, x.tolist(), y.tolist(), names, may.tolist(), strict=True)
    ]
    number, first = np.unique(step[rows], return_index=True)
    true = list(zip(*(smoothed(tracks, column)[rows].tolist() for column in (0, 1)), strict=True))
    return Steps(number, np.append(first, rows.size), who, places, true)


def smoothed(tracks: Tracks, column: int) -> Floats:
    """(n,): each place as the mean of those shortly before and after it of the same object: measured places dither, people do not."""
    if not len(tracks):
        return np.zeros(0)
    clock = tracks.object * (tracks.length_s + 10 * AROUND_S) + tracks.t_s  # rising, and apart from object to object
    first = np.searchsorted(clock, clock - AROUND_S - 1e-9)
    end = np.searchsorted(clock, clock + AROUND_S + 1e-9, side="right")
    reach = np.minimum(
        np.arange(len(tracks)) - first, end - 1 - np.arange(len(tracks))
    )  # as many before as after: no lag at the ends
    own = np.arange(len(tracks))
    sums = np.append(0.0, np.cumsum(tracks.box[:, column]))
    out: Floats = (sums[own + reach + 1] - sums[own - reach]) / (2 * reach + 1)
    return out


@dataclass
class _Run:
    """What is gathered on the way. `course`: x, y, vx, vy of whom it follows; `turn`: the how manieth of those that it followed, -1: none."""

    t_s: list[float] = field(default_factory=list)
    looks: list[Aim] = field(default_factory=list)
    target: list[int] = field(default_factory=list)
    course: list[tuple[float, float, float, float]] = field(default_factory=list)
    turn: list[int] = field(default_factory=list)
    count: list[int] = field(default_factory=list)  # how many were there
    began: list[Turned] = field(default_factory=list)
    regions: list[str] = field(default_factory=list)  # in which each of them began
    ended: list[Turned] = field(default_factory=list)

    def note(self, turned: Turned) -> None:
        if not turned.begins:
            self.ended.append(turned)
            return
        self.began.append(turned)
        self.regions.append(turned.target.region)

    def gather(self, t: float, looks: Aim, current: Target | None, index: Mapping[int | str, int], here: int) -> None:
        self.t_s.append(t)
        self.looks.append(looks)
        self.count.append(here)
        if current is None:
            self.target.append(-1)
            self.turn.append(-1)
            self.course.append(NOWHERE)
        else:
            self.target.append(index[current.name])
            self.turn.append(len(self.began) - 1)
            self.course.append((current.x, current.y, current.vx, current.vy))


def simulate(ground: Ground, dials: FollowDials, head: Head, home: Direction, steps: Steps) -> Followed:
    """Follow over a take. While nobody is there and the head rests, nothing is worked out."""
    follower = Follower(head, dials, home, ground.frame_px[0] / ground.frame_px[1])
    turning = Turning(head, home.pan_deg, home.tilt_deg)
    run = _Run()
    index = {name: at for at, name in enumerate(ground.tracks.ids)}
    numbers, first = steps.number.tolist(), steps.first.tolist()
    last_step = math.floor(ground.tracks.length_s / STEP_S + 1e-6)
    at, step = 0, numbers[0] if numbers else last_step + 1
    while step <= last_step:
        t = round(step * STEP_S, 6)
        here: list[Place] = []
        if at < len(numbers) and numbers[at] == step:
            here = steps.places[first[at] : first[at + 1]]
            at += 1
        turning.advance(t, STEP_S)
        looks = Aim(turning.pan_deg, turning.tilt_deg, turning.zoom)
        turned, command = follower.take(t, here, looks)
        for each in turned:
            run.note(each)
        if command is not None:
            turning.command(t, *command)
        if here or follower.current is not None:
            run.gather(t, looks, follower.current, index, len(here))
        if follower.current is None and not here and turning.rests and not follower.known:
            step = numbers[at] if at < len(numbers) else last_step + 1
        else:
            step += 1
        if step % WANTED_EVERY == 0:
            still_wanted()
    for each in follower.end(ground.tracks.length_s):
        run.note(each)
    return _followed(run, ground, dials, head, steps)


def _followed(run: _Run, ground: Ground, dials: FollowDials, head: Head, steps: Steps) -> Followed:
    """Of all steps at once: who was in the picture, and when somebody was lost from it."""
    looks = np.array(run.looks, dtype=np.float64).reshape(-1, 3)
    target, turn = np.array(run.target, dtype=np.intp), np.array(run.turn, dtype=np.intp)
    at = np.repeat(np.arange(len(run.t_s)), run.count)
    who = np.array(steps.who[: at.size], dtype=np.intp)
    up = np.full((at.size, 1), dials.target_height_m / 2)
    tangent, width = pictured(head, looks[:, 2]), ground.frame_px[0] / ground.frame_px[1]
    true = np.array(steps.true[: at.size], dtype=np.float64).reshape(-1, 2)
    inside, away = in_picture(head, looks[at], np.hstack((true, up)), width * tangent[at], tangent[at])
    tall_px = ground.frame_px[1] * dials.target_height_m / np.maximum(away, NEAREST_M) / 2 / tangent[at]
    mine = np.flatnonzero(who == target[at])  # of those that were followed, when somebody saw them
    bounds = np.searchsorted(turn[at[mine]], np.arange(len(run.began) + 1))
    shares = [float(inside[mine[a:b]].mean()) if b > a else 0.0 for a, b in pairwise(bounds)]
    t_s, course = np.array(run.t_s), np.array(run.course, dtype=np.float64).reshape(-1, 4)
    losses: list[Loss] = []
    for number, began in enumerate(run.began):
        rows = mine[bounds[number] : bounds[number + 1]]
        way = course[at[rows]]
        needed = needed_deg_s(head, way)
        losses += lost_from(
            began.target.name, t_s[at[rows]], inside[rows], away[rows], np.hypot(way[:, 2], way[:, 3]), needed,
            np.degrees(2 * np.arctan(tangent[at[rows]])),
        )  # fmt: skip
    stretches = tuple(
        Stretch(end.target.name, region, begin.t, end.t, end.by, end.why, part)
        for begin, region, end, part in zip(run.began, run.regions, run.ended, shares, strict=True)
    )
    return Followed(
        t_s=t_s, pan_deg=looks[:, 0], tilt_deg=looks[:, 1], zoom=looks[:, 2], target=target, at=at, who=who,
        inside=inside, height_px=np.where(inside, tall_px, 0.0), stretches=stretches, losses=tuple(losses),
        ids=ground.tracks.ids, length_s=ground.tracks.length_s,
    )  # fmt: skip
