"""Who has a head when, and what places get: 8 h with 500 calls, a day's table of gaps, and a stop that is changed."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from bench.figures import Figure, seconds, sized
from lantern.core.ptz.days import Asked, Site, day_of
from lantern.core.ptz.duty import Call, Plan, duty
from lantern.core.ptz.gaps import DIALS, Spot, got, px_per_m
from lantern.core.ptz.head import Head
from lantern.core.ptz.pointing import towards
from lantern.core.ptz.rounds import Round, Sheet, Stop
from lantern.core.watch import Aim

CALLS, PLACES, HOURS = sized(500, 5), 20, 8.0
HEAD = Head(
    x_m=0, y_m=0, height_m=8, speed_deg_s=100, acceleration_deg_s2=200, settle_s=0.3, fov_wide_deg=28, zoom_max=30
)
FRAME_PX = (1280, 720)


def plainly(plan: Plan) -> int:
    """Who has it, second by second, by looking through all that asks: what a loop costs."""
    held = 0
    for t in range(int(plan.from_s), int(plan.to_s)):
        held += any(each.at_s <= t < each.at_s + each.for_s for each in plan.calls)
    return held


def run() -> Iterator[Figure]:
    rng = np.random.default_rng(1)
    spots = [Spot(str(n), *rng.uniform(-80, 80, 2).tolist()) for n in range(PLACES)]
    looks = {n + 1: Aim(*towards(HEAD, (spot.x_m, spot.y_m, 0.9)), 3.0) for n, spot in enumerate(spots[:6])}
    held = Round(name="night", stops=tuple(Stop(preset=n, stay_s=10.0 + n) for n in looks))
    sheet = Sheet(rounds=(held,), idle="night", idle_after_s=10)
    site = Site(HEAD, looks[1], looks)
    course = tuple((float(t), Aim(200.0 + t, 10.0, 5.0)) for t in range(30))
    day_s = 86_400.0
    calls = [
        Asked(float(at), float(length), "c", 6, course)
        for at, length in zip(np.sort(rng.uniform(0, day_s, CALLS)), rng.uniform(5, 40, CALLS), strict=True)
    ]

    def table(of: Sheet) -> float:
        found = day_of(of, site, (), calls, (), from_s=0.0, to_s=day_s)
        return got(found, spots, px_per_m(spots, found.aims, HEAD, FRAME_PX, ()))[0].longest_s

    to_s = HOURS * 3600
    plan = Plan(
        from_s=0, to_s=to_s, release_s=20, idle_after_s=10, idle="night",
        calls=tuple(Call(at_s=each.at_s / 3, for_s=each.for_s, do=f"c {n}", rank=6) for n, each in enumerate(calls)),
    )  # fmt: skip
    duty_s = seconds(lambda: duty(plan), 1)
    yield Figure(f"{HOURS:g} h with {CALLS} calls", duty_s, "s", 1)
    yield Figure(f"a day's gaps of {PLACES} places", seconds(lambda: table(sheet)), "s", 2)
    changed = DIALS["stay_s"].change(sheet, 15.0)
    yield Figure("a stop that is changed, to new gaps", 1000 * seconds(lambda: table(changed)), "ms", 150)
    loop_s = seconds(lambda: plainly(plan), 1)
    yield Figure("who has it, by a plain loop second by second", loop_s, "s")
    yield Figure("of that", duty_s / loop_s, "times")
