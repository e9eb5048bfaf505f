"""Series, rules and marks for the tests; Hypothesis strategies over them."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from hypothesis import strategies as st

from lantern.core.events import Detector
from lantern.core.kinds import judge
from lantern.core.rule import Rule
from lantern.core.scoring.marks import Mark
from lantern.core.signals import Frames, Series
from lantern.core.tracks import Tracks


def series(x: list[float], *, dt: float = 1.0, name: str = "r") -> Series:
    return Series(np.arange(len(x)) * dt, np.array(x, dtype=float), "°C", name)


@st.composite
def any_series(draw: st.DrawFn, *, most: int = 60, decimals: int = 0) -> Series:
    """Irregular times with gaps and pauses; few distinct values, so that runs, ties and re-arm meet often."""
    n = draw(st.integers(1, most))
    steps = draw(st.lists(st.sampled_from([0.25, 0.5, 1.0, 1.0, 1.0, 2.0, 7.0]), min_size=n, max_size=n))
    x = draw(st.lists(st.integers(0, 10**decimals * 10), min_size=n, max_size=n))
    paused = draw(st.lists(st.sampled_from([0.0] * 9 + [0.5]), min_size=n, max_size=n))
    return Series(
        np.cumsum(steps), np.array(x, dtype=float) / 10**decimals, "°C", "r", np.array(paused) * np.array(steps)
    )


@st.composite
def any_rule(
    draw: st.DrawFn, *, senses: tuple[str, ...] = ("above", "below", "rise", "fall"), learning: bool = False
) -> Rule:
    rearm_s = draw(st.sampled_from([0.0, 1.0, 3.0, 10.0]))
    learns = {"baseline_s": draw(st.sampled_from([20.0, 120.0])), "spread_k": draw(st.sampled_from([0.0, 1.5]))}
    return Rule(
        **(learns if learning else {}),
        rise_by=draw(st.sampled_from(["window", "points", "slope"])),
        sense=draw(st.sampled_from(senses)),  # type: ignore[arg-type]
        level=draw(st.sampled_from([1.0, 3.0, 4.5, 6.0])),
        hysteresis=draw(st.sampled_from([0.0, 1.0, 2.5])),
        window_s=draw(st.sampled_from([1.0, 4.0, 20.0])),
        sustain_s=draw(st.sampled_from([0.0, 1.0, 2.0, 5.0])),
        clear_s=draw(st.sampled_from([0.0, 1.0, 4.0])),
        rearm_s=rearm_s,
        repeat=rearm_s > 0 and draw(st.booleans()),
        gap_s=draw(st.sampled_from([3.0, 100.0])),
    )


@st.composite
def any_marks(draw: st.DrawFn, *, length_s: float = 60.0) -> list[Mark]:
    marks = []
    for _ in range(draw(st.integers(0, 5))):
        start = draw(st.integers(0, int(length_s)))
        label = draw(st.sampled_from(["expect", "quiet", "ignore"]))
        lead_s = min(start, draw(st.sampled_from([0, 0, 6]))) if label == "expect" else 0
        marks.append(Mark(start, start + draw(st.integers(1, 20)), label, lead_s=lead_s))
    return marks


def at_value(readings: dict, swept: str, value: float) -> dict:
    """The same readings with the rule's swept field at another value."""
    return {name: (series, replace(rule, **{swept: value})) for name, (series, rule) in readings.items()}


def subject_of(detector: Detector, value: Any) -> Any:
    """A detector held against what a take holds, whose signal is told by what it is."""
    if isinstance(value, Tracks):
        signal = "plan-tracks" if value.on_plan else "tracks"
    else:
        signal = "heat" if isinstance(value, Frames) else "series"
    return judge(detector, signal, value)
