"""The exact sweep of a day, against running the rule once for each distinct reading (timed on a share of them)."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from bench.figures import Figure, seconds, sized
from lantern.core.exact.sweep import counts_of, sweep_exact
from lantern.core.rule import Rule
from lantern.core.scoring.marks import Mark
from lantern.core.signals import Series

SAMPLES, MARKS = sized(86_400, 4_000), sized(40, 2)


def a_day(noise_k: float = 0.05) -> tuple[Series, list[Mark]]:
    """A day at 1 Hz: slow drift, sensor noise, forty heats of five minutes that are marked."""
    rng = np.random.default_rng(1)
    t = np.arange(float(SAMPLES))
    x = 25 + 5 * np.sin(t / 13_750) + rng.normal(0, noise_k, SAMPLES)
    marks = []
    for k in range(MARKS):
        start = 1000 + k * 2100
        x[start : start + 300] += np.linspace(0, 25 + k / 4, 300)
        marks.append(Mark(start, start + 300, "expect"))
    return Series(t, x, "°C", "r"), marks


def run() -> Iterator[Figure]:
    series, marks = a_day()
    rule = Rule("above", 45, hysteresis=2, sustain_s=3, rearm_s=60)
    readings = {"r": (series, rule)}
    rows = sweep_exact(readings, marks, "level", low=-273.15, high=3000)
    ours = seconds(lambda: sweep_exact(readings, marks, "level", low=-273.15, high=3000), 5)
    some = np.random.default_rng(2).choice(series.x, 60)
    brute = (
        seconds(
            lambda: [counts_of({k: (x, replace(r, level=v)) for k, (x, r) in readings.items()}, marks) for v in some], 1
        )
        / some.size
        * np.unique(series.x).size
    )
    yield Figure(f"exact threshold sweep, {SAMPLES} samples, {MARKS} marks: {len(rows)} stretches", ours, "s", 0.3)
    yield Figure("the rule run for each distinct reading (from a sample of 60)", brute, "s")
    yield Figure("times faster", brute / ours, "x")
    yield Figure(
        "exact sustain sweep", seconds(lambda: sweep_exact(readings, marks, "sustain_s", low=0, high=86_400)), "s"
    )
    bare = {"r": (series, Rule("above", 45))}
    yield Figure(
        "worst case: no hysteresis, sustain or re-arm, noise decides",
        seconds(lambda: sweep_exact(bare, marks, "level", low=-273.15, high=3000), 1),
        "s",
    )
