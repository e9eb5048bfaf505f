"""A head following over a whole take: whom it followed from when until when, who was in its picture, and how large."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple

import numpy as np

from lantern.core.following.detector import Areas, FollowDetector, Ground
from lantern.core.following.dials import FollowDials
from lantern.core.following.follower import Follower, Place, Turned
from lantern.core.following.turning import Turning
from lantern.core.ptz.head import Head
from lantern.core.ptz.pointing import Direction
from lantern.core.rule import ClearedBy
from lantern.core.signals import Floats
from lantern.core.tracks import Tracks
from lantern.core.tuning.wanted import still_wanted
from lantern.core.watch import Aim
from lantern.core.watching import Indices

STEP_S = 0.1
WANTED_EVERY = 5000
AROUND_S = 0.6  # within which a place is smoothed; common practice, no source
OUT_AGAIN_S = 1.0  # so long out of the picture, a target is lost from it; common practice, no source


class Stretch(NamedTuple):
    """From when until when `object` was followed, what ended it and why; `share` of the time it was in the picture."""

    object: int | str
    region: str
    from_s: float
    until_s: float
    by: ClearedBy
    why: str
    share: float


class Loss(NamedTuple):
    """A target that was followed and left the picture: when, how fast the head had to turn, and how far away it was."""

    t: float
    object: int | str
    away_m: float
    speed_mps: float
    needed_deg_s: float
    field_deg: float


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
    """What is gathered on the way."""

    t_s: list[float] = field(default_factory=list)
    looks: list[tuple[float, float, float]] = field(default_factory=list)
    target: list[int] = field(default_factory=list)
    at: list[int] = field(default_factory=list)
    inside: list[bool] = field(default_factory=list)
    height_px: list[float] = field(default_factory=list)
    stretches: list[Stretch] = field(default_factory=list)
    losses: list[Loss] = field(default_factory=list)
    began: Turned | None = None
    was_in: int = 0
    steps: int = 0
    leaving: Loss | None = None  # a target that is out of the picture, for so short a time yet that it may come back
    told: bool = False


def simulate(ground: Ground, dials: FollowDials, head: Head, home: Direction, steps: Steps) -> Followed:
    """Follow over a take. While nobody is there and the head rests, nothing is worked out."""
    ratio = ground.frame_px[0] / ground.frame_px[1]
    follower = Follower(head, dials, home, ratio)
    turning = Turning(head, home.pan_deg, home.tilt_deg)
    run, ids = _Run(), ground.tracks.ids
    index = {name: at for at, name in enumerate(ids)}
    numbers, first = steps.number.tolist(), steps.first.tolist()
    last_step = math.floor(ground.tracks.length_s / STEP_S + 1e-6)
    at, step = 0, numbers[0] if numbers else last_step + 1
    while step <= last_step:
        t = round(step * STEP_S, 6)
        here: list[Place] = []
        begin = end = 0
        if at < len(numbers) and numbers[at] == step:
            begin, end = first[at], first[at + 1]
            here = steps.places[begin:end]
            at += 1
        turning.advance(t, STEP_S)
        looks = Aim(turning.pan_deg, turning.tilt_deg, turning.zoom)
        turned, command = follower.take(t, here, looks)
        for each in turned:
            _note(run, each)
        if command is not None:
            turning.command(t, *command)
        if here or follower.current is not None:
            _gather(run, ground, follower, looks, head, t, here, steps.true[begin:end], index)
        if follower.current is None and not here and turning.rests and not follower.known:
            step = numbers[at] if at < len(numbers) else last_step + 1
        else:
            step += 1
        if step % WANTED_EVERY == 0:
            still_wanted()
    for each in follower.end(ground.tracks.length_s):
        _note(run, each)
    looked = np.array(run.looks, dtype=np.float64).reshape(-1, 3)
    return Followed(
        t_s=np.array(run.t_s),
        pan_deg=looked[:, 0],
        tilt_deg=looked[:, 1],
        zoom=looked[:, 2],
        target=np.array(run.target, dtype=np.intp),
        at=np.array(run.at, dtype=np.intp),
        who=np.array(steps.who, dtype=np.intp),
        inside=np.array(run.inside, dtype=np.bool_),
        height_px=np.array(run.height_px),
        stretches=tuple(run.stretches),
        losses=tuple(run.losses),
        ids=ids,
        length_s=ground.tracks.length_s,
    )


def _note(run: _Run, turned: Turned) -> None:
    if turned.begins:
        run.began, run.was_in, run.steps, run.leaving, run.told = turned, 0, 0, None, False
        return
    assert run.began is not None
    share = run.was_in / run.steps if run.steps else 0.0
    began = run.began
    run.stretches.append(
        Stretch(turned.target.name, began.target.region, began.t, turned.t, turned.by, turned.why, share)
    )
    run.began = None


def _gather(
    run: _Run,
    ground: Ground,
    follower: Follower,
    looks: Aim,
    head: Head,
    t: float,
    here: Sequence[Place],
    true: Sequence[tuple[float, float]],
    index: dict[int | str, int],
) -> None:
    """Who of those that are there is in the picture, and how large."""
    step, current = len(run.t_s), follower.current
    run.t_s.append(t)
    run.looks.append(looks)
    run.target.append(-1 if current is None else index[current.name])
    vertical = head.field_deg(looks.zoom)
    tangent = math.tan(math.radians(vertical) / 2)
    half_v, half_h = vertical / 2, math.degrees(math.atan(tangent * follower.field_ratio))
    tall = follower.dials.target_height_m
    for place, (x, y) in zip(here, true, strict=True):
        inside, away = in_picture(head, looks, (x, y, tall / 2), half_h, half_v)
        run.at.append(step)
        run.inside.append(inside)
        run.height_px.append(ground.frame_px[1] * tall / away / 2 / tangent if inside else 0.0)
        if current is not None and place.name == current.name:
            run.steps += 1
            run.was_in += inside
            _watch_loss(run, follower, t, inside=inside, away=away, field_deg=vertical)


def _watch_loss(run: _Run, follower: Follower, t: float, *, inside: bool, away: float, field_deg: float) -> None:
    """Once it was in the picture, and is out of it for so long: it was lost from it. The fastest turn that it asked for says why."""
    target, head = follower.current, follower.head
    assert target is not None
    if inside:
        run.leaving, run.told = None, False
        return
    if not run.was_in or run.told:
        return
    ex, ey = target.x - head.x_m, target.y - head.y_m
    over = max(math.hypot(ex, ey), 0.1)
    needed = math.degrees(abs(target.vx * ey - target.vy * ex) / over / over)
    if run.leaving is None:
        speed = math.hypot(target.vx, target.vy)
        run.leaving = Loss(t, target.name, away, speed, needed, field_deg)
    elif needed > run.leaving.needed_deg_s:
        run.leaving = run.leaving._replace(away_m=away, needed_deg_s=needed)
    if t - run.leaving.t >= OUT_AGAIN_S - 1e-6:
        run.told = True
        run.losses.append(run.leaving)


def in_picture(
    head: Head, looks: Aim, place: tuple[float, float, float], half_h: float, half_v: float
) -> tuple[bool, float]:
    """Is a place in the picture, and how far away is it, m? By its place in the picture, for pans near the zenith turn it."""
    ex, ey, up = place[0] - head.x_m, place[1] - head.y_m, place[2] - head.height_m
    away = math.sqrt(ex * ex + ey * ey + up * up) or 1e-6
    pan, tilt = math.radians(looks.pan_deg), math.radians(looks.tilt_deg)
    sp, cp, st, ct = math.sin(pan), math.cos(pan), math.sin(tilt), math.cos(tilt)
    ahead = ex * sp * ct + ey * cp * ct - up * st
    if ahead <= 0:
        return False, away
    right = ex * cp - ey * sp
    down = -(ex * sp * st + ey * cp * st + up * ct)
    wide, high = ahead * math.tan(math.radians(half_h)), ahead * math.tan(math.radians(half_v))
    return abs(right) <= wide and abs(down) <= high, away
