"""Evidence at size: a map of two dials over an hour at 4 Hz, and every dial of six regions swept over a day at 1 Hz."""

from __future__ import annotations

import time
from collections.abc import Iterator

import numpy as np

from bench.figures import Figure, seconds, sized
from bench.sweep import a_day
from lantern.core.events import Detector, Region
from lantern.core.exact.sweep import counts_of, sweep_exact
from lantern.core.kinds import judge
from lantern.core.readings.subject import Subject
from lantern.core.scoring.marks import Mark
from lantern.core.signals import Series
from lantern.core.tuning.pairs import map_pair

SIDE = sized(40, 4)
TRIED = sized(24, 2)  # pairs that are run alone, to say what all of them would take


def an_hour() -> tuple[Subject, list[Mark]]:
    """An hour at 4 Hz: drift, noise, ten slow heats that are marked and ten quick ones that are not to raise."""
    rng = np.random.default_rng(1)
    n = 14_400
    t = np.arange(n) / 4
    x = 20 + np.cumsum(rng.normal(0, 0.02, n)) + rng.normal(0, 0.1, n)
    marks = []
    for k in range(20):
        at, length = 300 + k * 700, (240 if k % 2 else 30)
        x[at : at + length] += np.hanning(length) * rng.uniform(8, 30)
        marks.append(Mark(at / 4, (at + length) / 4, "expect" if k % 2 else "quiet"))
    region = Region(name="r", shape="spot", points=((0, 0),))
    detector = Detector(name="d", kind="heat", regions=(region,), dials={"threshold_c": 30})
    return judge(detector, "series", {"r": Series(t, x, "°C", "r")}), marks


def run() -> Iterator[Figure]:
    subject, marks = an_hour()
    x, y = np.linspace(0, 60, SIDE).tolist(), np.linspace(20, 50, SIDE).tolist()
    ours = seconds(lambda: map_pair([(subject, marks)], "sustain_s", "threshold_c", x, y))
    yield Figure(f"map of {SIDE} x {SIDE} over an hour at 4 Hz, sustain by threshold", ours, "s", 3.0)
    rng = np.random.default_rng(2)
    began = time.perf_counter()
    for vx, vy in zip(rng.choice(x, TRIED), rng.choice(y, TRIED), strict=True):
        counts_of(subject.with_dials(sustain_s=vx, threshold_c=vy).decisions(), marks)
    each = (time.perf_counter() - began) / TRIED
    yield Figure("ratio to running every pair alone (from some of them)", ours / (each * SIDE * SIDE), "x")
    other = seconds(
        lambda: map_pair(
            [(subject, marks)],
            "rearm_s",
            "hysteresis_c",
            np.linspace(0, 300, SIDE).tolist(),
            np.linspace(0, 10, SIDE).tolist(),
        )
    )
    yield Figure("the same, re-arm by hysteresis", other, "s", 3.0)

    regions = tuple(Region(name=f"r{i}", shape="spot", points=((i, 0),)) for i in range(6))
    detector = Detector(
        name="d", kind="heat", regions=regions, dials={"threshold_c": 45, "sustain_s": 3, "rearm_s": 60}
    )
    series, marks = a_day()
    columns = {r.name: Series(series.t_s, series.x + i * 0.7, "°C", r.name) for i, r in enumerate(regions)}
    day = judge(detector, "series", columns)
    exact = day.kind.exact(day.dials)

    def sweep_all() -> int:
        stretches = 0
        for dial, swept in exact.items():
            high = 3000.0 if dial == "threshold_c" else 500.0 if dial == "hysteresis_c" else 86_400.0
            low = -273.15 if dial == "threshold_c" else 0.0
            stretches += len(sweep_exact(day.decisions(), marks, swept, low=low, high=high))
        return stretches

    yield Figure(f"a day at 1 Hz, six regions, {len(exact)} dials swept exactly", seconds(sweep_all, 1), "s", 5.0)
