"""The shutter: a step of all pixels is left out and is no rise; what moves or warms is not taken for it."""

from __future__ import annotations

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lantern.core.decide import State, run, step
from lantern.core.dials import read_dials
from lantern.core.readings.heat.dials import HeatDials
from lantern.core.readings.heat.reading import Reader, readings
from lantern.core.readings.heat.shutter import without
from lantern.core.readings.region import ReadingRegion
from lantern.core.rule import Rule
from lantern.core.signals import Frames, Series, frames_of

BOX = ReadingRegion(name="box", shape="box", points=((2, 2), (8, 6)))
RISE = {"condition": "rise", "delta_c": 2.0, "window_s": 20, "sustain_s": 0, "hysteresis_c": 0, "rearm_s": 0}


def scene(seconds: int = 120) -> np.ndarray:
    """A still scene at 4 Hz with noise: (n, 8, 12) in °C."""
    rng = np.random.default_rng(11)
    ground = rng.uniform(15, 25, (8, 12))
    return ground + rng.normal(0, 0.05, (seconds * 4, 8, 12))


def frames(celsius: np.ndarray, t: np.ndarray | None = None) -> Frames:
    raw = np.round((celsius + 273.15) * 100).astype(np.uint16)
    times = np.arange(raw.shape[0]) / 4 if t is None else t
    return frames_of(raw, times, scale=0.01, offset_c=-273.15)


def raises(celsius: np.ndarray, **dials: object) -> list[float]:
    setting = read_dials(HeatDials, RISE | dials)
    [series] = readings(frames(celsius), [BOX], setting).values()
    return [float(series.t_s[r.raised]) for r in run(series, setting.rule(1.0))]


def test_a_step_of_all_pixels_is_a_rise_unless_the_shutter_is_watched() -> None:
    shut = scene()
    shut[200:203] = 30.0  # the paddle, for three frames
    shut[203:] += 2.5  # and another offset after it
    assert raises(shut) != []
    assert raises(shut, shutter_s=2) == []


def test_what_warms_part_of_the_picture_is_not_taken_for_the_shutter() -> None:
    warm = scene()
    warm[200:, 3:5, 4:7] += 6.0
    assert raises(warm, shutter_s=2) == [50.0]


def test_time_left_out_is_not_lost() -> None:
    s = Series(np.arange(40) / 4, np.full(40, 60.0))
    left_out = np.zeros(40, dtype=bool)
    left_out[10:20] = True
    [raised] = run(without(s, left_out), Rule("above", 50.0, gap_s=1.0))
    assert (raised.raised, raised.cleared, raised.cleared_by) == (0, None, "end")
    # but no timer reaches beyond it: two seconds held before, and none of what held earlier counts after
    late = Series(s.t_s, np.where(s.t_s >= 1.0, 60.0, 20.0))
    assert run(without(late, left_out), Rule("above", 50.0, sustain_s=2.0, gap_s=1.0))[0].raised == 18


@settings(max_examples=60, deadline=None)
@given(st.lists(st.integers(0, 100), max_size=4), st.sampled_from([0.5, 1.0, 2.0]), st.booleans())
def test_live_equals_batch(shots: list[int], shutter_s: float, lost: bool) -> None:
    celsius = scene(30)
    for at in shots:
        celsius[at : at + 2] = 32.0
        celsius[at + 2 :] += 0.8
    t = np.arange(celsius.shape[0]) / 4
    if lost:
        t[60:] += 5.0
    setting = read_dials(HeatDials, RISE | {"shutter_s": shutter_s})
    [series] = readings(frames(celsius, t), [BOX], setting).values()
    rule = setting.rule(1.0)
    reader, state, seen, changed = Reader([BOX], setting), State(), [], []
    for i in range(t.size):
        for x, paused_s in reader.read(frames(celsius[i : i + 1], t[i : i + 1]), float(t[i])).values():
            seen.append((t[i], x, paused_s))
            state, changes = step(state, float(t[i]), x, rule, paused_s)
            changed += [c.t for c in changes if c.what == "raise"]
    assert np.array(seen).T.tolist() == [series.t_s.tolist(), series.x.tolist(), series.paused_s.tolist()]
    assert changed == [series.t_s[r.raised] for r in run(series, rule)]
