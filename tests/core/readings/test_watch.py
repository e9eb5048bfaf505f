"""A live detector without the store: raised, clear or unknown and why; the shutter; the baseline; a clock that jumps."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from lantern.core.baseline import KEPT, LEAST_LEARNT
from lantern.core.events import Detector
from lantern.core.kinds import watch as watch_of
from lantern.core.readings.region import ReadingRegion
from lantern.core.signals import frames_of
from lantern.core.watch import Sample, Watch

BOX = ReadingRegion(name="box", shape="box", points=((0, 0), (8, 6)))


def watch(**dials: object) -> Watch:
    plain = {"threshold_c": 50, "sustain_s": 0, "rearm_s": 0, "hysteresis_c": 0}
    model = Detector(name="d", kind="heat", regions=(BOX,), dials=plain | dials)
    return watch_of(model, {})


def frame(seq: int, celsius: Any, *, t: float | None = None) -> Sample:
    ground = np.random.default_rng(seq).normal(0, 0.02, (6, 8))
    raw = np.round((ground + celsius + 273.15) * 100).astype(np.uint16)
    picture = frames_of(raw[None], np.zeros(1), scale=0.01, offset_c=-273.15)
    return Sample("heat", 1000.0 + seq if t is None else t, picture)


def changes(watch: Watch, *frames: Sample) -> list[str]:
    return [c.what for f in frames for turn in watch.step(f, 1.0) for c in turn.changes]


def state(watch: Watch, trouble: str = "") -> tuple[str, str]:
    return watch.standing(trouble=trouble).states["box"]


def test_unknown_is_neither_raised_nor_clear() -> None:
    one = watch()
    assert changes(one, frame(1, 20.0)) == []
    assert state(one) == ("clear", "")
    assert changes(one, frame(2, 60.0)) == ["raise"]
    assert state(one)[0] == "raised"
    assert state(one, "no frames") == ("unknown", "no frames")


def test_the_shutter_makes_it_unknown_and_raises_nothing() -> None:
    shut = watch(condition="rise", delta_c=3, window_s=10, shutter_s=2)
    assert changes(shut, *(frame(i, 20.0) for i in range(1, 6))) == []
    assert changes(shut, frame(6, 32.0)) == []  # every pixel at once: the paddle
    assert state(shut)[0] == "unknown"
    assert changes(shut, frame(7, 20.5), frame(8, 20.5), frame(9, 20.5), frame(10, 20.5)) == []
    assert state(shut) == ("clear", "")
    unwatched = watch(condition="rise", delta_c=3, window_s=10)
    assert changes(unwatched, frame(1, 20.0), frame(2, 32.0)) == ["raise"]


def test_a_baseline_is_unknown_until_it_has_learnt_enough() -> None:
    learning = watch(against="baseline", baseline_s=float(KEPT), delta_c=3)
    for i in range(1, LEAST_LEARNT):
        assert changes(learning, frame(i, 20.0)) == []
    assert state(learning) == ("unknown", "still learning what is normal")
    assert changes(learning, frame(LEAST_LEARNT, 20.0)) == []
    assert state(learning)[0] == "clear"
    assert changes(learning, frame(LEAST_LEARNT + 1, 26.0)) == ["raise"]
    assert learning.standing().level is None  # it is no line over the reading


def test_what_was_learnt_outlasts_a_clock_that_jumps() -> None:
    learning = watch(against="baseline", baseline_s=float(KEPT), delta_c=3)
    changes(learning, *(frame(i, 20.0) for i in range(1, LEAST_LEARNT + 2)))
    learning.shift(-500.0)
    assert changes(learning, frame(40, 26.0, t=520.0)) == ["raise"]


def test_a_page_gets_states_units_and_levels() -> None:
    beside = watch(against="neighbours", delta_c=5)
    left = ReadingRegion(name="left", shape="box", points=((0, 0), (4, 6)))
    right = ReadingRegion(name="right", shape="box", points=((4, 0), (8, 6)))
    beside = watch_of(beside.detector.model_copy(update={"regions": (left, right)}), {})
    picture = np.full((6, 8), 20.0)
    picture[:, 5] = 31.0
    assert changes(beside, frame(1, picture)) == ["raise"]
    told = beside.standing().as_dict()
    assert (told["unit"], told["level"]) == ("K", 5)
    assert told["readings"]["right"] == pytest.approx(11, abs=0.2)
    assert {name: s["state"] for name, s in told["standing"].items()} == {"left": "clear", "right": "raised"}
