"""Heads: a registration of many pairs, a night of hand-overs followed, against a plain loop in steps; a dial's step to new measures."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any

import numpy as np

from bench.figures import Figure, seconds, sized
from lantern.core.following.subject import FollowSubject
from lantern.core.kinds import detector_of, judge
from lantern.core.ptz.head import Head
from lantern.core.ptz.pointing import towards
from lantern.core.ptz.turned import Onto, Pointing, Turned
from lantern.core.registration.report import registered
from lantern.core.tracks import Tracks, make_tracks

HOURS, HAND_OVERS = sized(8.0, 0.05), sized(500, 4)
PAIRS, RATE_HZ, LOOPED_S = 200, 10.0, sized(600.0, 20.0)
HEAD: dict[str, Any] = {
    "x_m": 0.0, "y_m": 0.0, "height_m": 8.0, "speed_deg_s": 120.0, "acceleration_deg_s2": 240.0, "settle_s": 0.2,
    "fov_wide_deg": 30.0, "zoom_max": 30.0, "latency_s": 0.2,
}  # fmt: skip


def tracks(hours: float, people: int) -> Tracks:
    """So many who walk past, one after another, each for half a minute."""
    rng = np.random.default_rng(6)
    rows = []
    for number in range(people):
        start = number * hours * 3600 / people
        (x0, x1), (y0, y1) = rng.uniform(-60, 60, 2), rng.uniform(8, 70, 2)
        count = round(30 * RATE_HZ)
        share = np.arange(count) / count
        t = np.round(start + np.arange(count) / RATE_HZ, 3)
        noise = rng.normal(0, 0.1, (2, count))
        rows.append(
            np.stack([t, np.full(count, number), x0 + share * (x1 - x0) + noise[0], y0 + share * (y1 - y0) + noise[1]])
        )
    table = np.concatenate(rows, axis=1)
    box = np.column_stack((table[2], table[3], np.zeros((table.shape[1], 2))))
    return make_tracks(table[0], table[1].astype(np.int64), box, last_s=hours * 3600, on_plan=True)


def subject(held: Tracks, **dials: object) -> FollowSubject:
    document = {"name": "f", "kind": "follow", "head": HEAD, "dials": dials}
    found = judge(detector_of(document), "plan-tracks", held)
    assert isinstance(found, FollowSubject)
    return found


def plainly(held: Tracks, until_s: float) -> int:
    """The same head in steps of a hundredth of a second, towards whoever is nearest, with no filter and no rules: what a loop costs."""
    pan, speed, seen, row = 0.0, 0.0, 0, 0
    order = np.argsort(held.t_s, kind="stable")
    times, places = held.t_s[order].tolist(), held.box[order, :2].tolist()
    goal = 0.0
    for step in range(round(until_s * 100)):
        t = step / 100
        while row < len(times) and times[row] <= t:
            goal = math.degrees(math.atan2(*places[row]))
            row += 1
        left = (goal - pan + 180) % 360 - 180
        wanted = math.copysign(min(120.0, math.sqrt(2 * 240.0 * abs(left))), left)
        speed += min(max(wanted - speed, -2.4), 2.4)
        pan += speed * 0.01
        seen += abs(left) < 10
    return seen


def pairs_of(count: int, head: Head) -> Turned:
    """Places that a head with units of its own was driven onto, each a tenth of a degree off."""
    rng = np.random.default_rng(2)
    pairs = []
    for x, y in rng.uniform(-80, 80, (count, 2)).tolist():
        to = towards(head, (x, y, 0.0))
        pan_off, tilt_off = rng.normal(0, 0.1, 2)
        pairs.append(
            Onto(
                pan=((to.pan_deg + pan_off - 47 + 180) % 360 - 180) / 180,
                tilt=(20 - to.tilt_deg + tilt_off) / 55,
                x_m=x,
                y_m=y,
            )
        )
    return Turned(pairs=tuple(pairs))


def run() -> Iterator[Figure]:
    rng = np.random.default_rng(1)
    table = np.column_stack((rng.uniform(0, 360, PAIRS), rng.uniform(0, 60, PAIRS)))
    turned = np.column_stack((table, (table[:, 0] + 31) % 360, table[:, 1] + rng.normal(0, 0.1, PAIRS)))
    yield Figure(
        f"{PAIRS} pairs of directions registered", 1000 * seconds(lambda: registered("rotation", turned)), "ms", 50
    )
    head = Head.model_validate(HEAD)
    held = pairs_of(PAIRS, head)
    yield Figure(f"{PAIRS} places to units of its own", 1000 * seconds(lambda: Pointing(held, head).units), "ms", 50)
    night = tracks(HOURS, HAND_OVERS)
    own_s = seconds(lambda: subject(night).measured, 1)
    yield Figure(f"{HAND_OVERS} hand-overs in {HOURS:g} h followed", own_s, "s", 3)
    half = subject(tracks(sized(0.5, 0.02), sized(22, 2)))
    assert half.measured.in_percent is not None
    yield Figure(
        "a dial's step to new measures", 1000 * seconds(lambda: half.with_dials(share_percent=31.0).measured), "ms", 150
    )
    loop_s = seconds(lambda: plainly(night, LOOPED_S), 1)
    yield Figure(f"a plain loop over {LOOPED_S:g} s", loop_s, "s")
    yield Figure("of that, second for second", (own_s / (HOURS * 3600)) / (loop_s / LOOPED_S), "times")
