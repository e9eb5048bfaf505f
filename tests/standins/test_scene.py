"""The simulated world: repeatable, with noise that is noise, drift, and events where its marks say."""

from __future__ import annotations

import numpy as np
import pytest

from lantern.core.decide import run
from lantern.core.readings.heat.dials import HeatDials
from lantern.core.readings.heat.kind import readings
from lantern.core.rule import Rule
from lantern.demo.skerrow import skerrow
from lantern.standins.scene import OFFSET_C, SCALE, PelletStore
from lantern.standins.scenes import SCENES


@pytest.mark.parametrize("code", SCENES)
def test_a_frame_is_the_same_whenever_it_is_made(code: str) -> None:
    assert (SCENES[code]().frame(77) == SCENES[code]().frame(77)).all()


def test_noise_is_the_sensors_and_independent_from_frame_to_frame() -> None:
    scene = PelletStore()
    sky = np.stack([scene.frame(i)[:20, 200:300] for i in range(40)]).astype(float) * SCALE
    steps = np.diff(sky - sky.mean(axis=(1, 2), keepdims=True), axis=0)
    # a difference of two frames has twice the variance, and the steps of the counts add theirs
    expected = np.sqrt(2 * (scene.noise_k**2 + SCALE**2 / 12))
    assert steps.std() == pytest.approx(expected, rel=0.03)
    assert (
        abs(np.corrcoef(sky[0].ravel() - sky.mean(axis=0).ravel(), sky[1].ravel() - sky.mean(axis=0).ravel())[0, 1])
        < 0.1
    )


def test_marks_stand_where_the_heat_is() -> None:
    scene = PelletStore()
    region = next(r for d in skerrow().detectors for r in d.plain.regions if r.name == "heap")
    for mark in scene.marks():
        first, stop = int(mark.start_s * 4), int(mark.end_s * 4)
        frames = scene.frames(first, stop)
        x = readings(frames, [region], HeatDials())["heap"].x
        assert x.max() > 60, mark
        if mark.label == "expect":
            assert x[0] > 35
        else:  # a pass is short: no reading stays hot for six seconds
            series = readings(frames, [region], HeatDials())["heap"]
            assert run(series, Rule("above", 45, sustain_s=6)) == []


def test_counts_stay_within_the_sensors_range() -> None:
    frame = PelletStore().frame(2200)
    celsius = frame * SCALE + OFFSET_C
    assert 5 < celsius.min() < 15
    assert 60 < celsius.max() < 120
