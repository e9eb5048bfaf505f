"""Readings beyond the plain ones: percentile, neighbours with severity, learnt baseline, masks, air, saturation."""

from __future__ import annotations

import numpy as np
import pytest

from builders import subject_of
from checks import check
from lantern.core.baseline import Baseline, median_and_mad
from lantern.core.decide import State, run, step
from lantern.core.dials import read_dials
from lantern.core.events import Detector
from lantern.core.faults import Refused
from lantern.core.readings.heat import kind
from lantern.core.readings.heat.dials import HeatDials
from lantern.core.readings.heat.radiation import Seen, object_c
from lantern.core.readings.heat.reading import Reader, correction_for, readings
from lantern.core.readings.region import ReadingRegion
from lantern.core.rule import Rule
from lantern.core.signals import Frames, RecordedAs, Series, frames_of


def dials(**values: object) -> HeatDials:
    return read_dials(HeatDials, {"sustain_s": 0, "hysteresis_c": 0, "rearm_s": 0} | values)


def frames(rows: np.ndarray, **recorded: float) -> Frames:
    """(n, width) °C as pictures of one row."""
    raw = np.round((rows[:, None, :] + 273.15) * 100).astype(np.uint16)
    return frames_of(
        raw, np.arange(len(rows), dtype=float), scale=0.01, offset_c=-273.15, recorded=RecordedAs(**recorded)
    )


def box(name: str, left: int, right: int, role: str = "watch") -> ReadingRegion:
    return ReadingRegion(name=name, shape="box", points=((left, 0), (right, 1)), role=role)  # type: ignore[arg-type]


def test_percentile_is_numpys_by_nearest_rank() -> None:
    rng = np.random.default_rng(5)
    rows = np.round(rng.uniform(0, 80, (40, 37)), 2)
    for percent in (1, 37.5, 50, 95, 99.9, 100):
        got = readings(frames(rows), [box("r", 0, 37)], dials(statistic="percentile", percentile=percent))["r"].x
        assert got == pytest.approx(np.percentile(rows, percent, axis=1, method="inverted_cdf"), abs=1e-9)


def phases(*kelvin: tuple[float, float, float]) -> np.ndarray:
    return np.array([[a, a, b, b, c, c] for a, b, c in kelvin], dtype=float)


PHASES = [box("L1", 0, 2), box("L2", 2, 4), box("L3", 4, 6)]


def test_a_phase_against_its_coolest_neighbour() -> None:
    picture = frames(phases((30, 32, 31), (30, 47, 31), (30, 33, 31)))
    [event] = kind.evaluate(picture, "d", PHASES, dials(against="neighbours", delta_c=10))
    assert (event.region, event.raised_s, event.peak) == ("L2", 1.0, 17.0)
    assert event.why["severity"] == "major"  # more than 15 K between similar parts: ANSI/NETA MTS, Table 100.18
    # two hot joints do not hide each other
    twice = frames(phases((30, 47, 46)))
    assert [e.region for e in kind.evaluate(twice, "d", PHASES, dials(against="neighbours", delta_c=10))] == [
        "L2",
        "L3",
    ]


def test_the_difference_is_brought_to_full_load_as_published() -> None:
    inputs, expected = check("D25")
    picture = frames(phases((30, 30 + inputs["dT_K"], 30)))
    for exponent, wanted in zip((1.6, 2.0), expected.expected, strict=True):
        setting = dials(against="neighbours", load_percent=inputs["I_over_rated"] * 100, load_exponent=exponent)
        assert readings(picture, PHASES, setting)["L2"].x[0] == pytest.approx(wanted, rel=1e-4)


def test_a_reference_region_is_held_against_and_never_raises() -> None:
    picture = frames(phases((30, 32, 90)))
    regions = [PHASES[0], PHASES[1], box("L3", 4, 6, "reference")]
    setting = dials(against="neighbours", condition="below", delta_c=10)
    assert [(e.region, e.peak) for e in kind.evaluate(picture, "d", regions, setting)] == [("L1", 60.0), ("L2", 58.0)]
    assert set(readings(picture, regions, dials())) == {"L1", "L2"}
    with pytest.raises(Refused, match="has no neighbour"):
        readings(picture, PHASES[:1], setting)
    with pytest.raises(Refused, match="none of them is watched"):
        readings(picture, regions[2:], setting)


def test_neighbours_of_recorded_series() -> None:
    t = np.arange(3.0)
    columns = {n: Series(t, np.array(x, float), "°C", n) for n, x in (("a", [20, 20, 20]), ("b", [20, 40, 20]))}
    regions = tuple(ReadingRegion(name=n, shape="spot", points=((0, 0),)) for n in columns)
    setting = {"against": "neighbours", "delta_c": 15, "sustain_s": 0}
    events = subject_of(Detector(name="d", kind="heat", regions=regions, dials=setting), columns).events()
    assert [(e.region, e.raised_s) for e in events] == [("b", 1.0)]


def test_masked_pixels_are_in_no_region() -> None:
    rows = np.array([[20.0, 99.0, 21.0, 22.0]])
    assert readings(frames(rows), [box("r", 0, 4)], dials())["r"].x[0] == pytest.approx(99)
    dead = box("dead pixel", 1, 2, "mask")
    assert readings(frames(rows), [box("r", 0, 4), dead], dials())["r"].x[0] == pytest.approx(22)
    with pytest.raises(Refused, match="all its pixels are masked"):
        readings(frames(rows), [box("r", 1, 2), dead], dials())


def test_saturation_is_a_bound_and_no_value() -> None:
    raw = np.full((2, 1, 4), 30_000, np.uint16)
    raw[1, 0, 2] = 65_535
    picture = frames_of(raw, np.arange(2.0), scale=0.01, offset_c=-273.15)
    [event] = kind.evaluate(picture, "d", [box("r", 0, 4)], dials(threshold_c=100))
    assert "at least 382.20 °C" in event.why["saturated"]
    assert "saturated" not in kind.evaluate(frames(np.full((1, 4), 120.0)), "d", [box("r", 0, 4)], dials())[0].why


# ---- air -------------------------------------------------------------------------------------------------------------


def test_a_transmittance_corrects_as_the_equation_says() -> None:
    picture = frames(np.full((1, 4), 70.0), emissivity_set=1.0)
    setting = dials(emissivity=0.9, reflected_c=20, transmittance=0.95, air_c=15, model="band_8_14")
    _, expected = check("D09")
    assert readings(picture, [box("r", 0, 4)], setting)["r"].x[0] == expected
    why = kind.evaluate(picture, "d", [box("r", 0, 4)], setting)[0].why
    assert why["model"] == "Planck's law over 8 to 14 um"
    assert (why["transmittance"], why["air_c"]) == (0.95, 15)


def test_what_the_device_corrected_for_is_undone_first() -> None:
    recorded = RecordedAs(emissivity_set=0.95, reflected_c=20, distance_m=10, humidity_percent=60, air_c=10)
    same = correction_for(recorded, box("r", 0, 4), dials(distance_m=10))
    assert not same.changes
    farther = correction_for(recorded, box("r", 0, 4), dials(distance_m=80))
    assert farther.wanted.transmittance < farther.recorded.transmittance < 1
    assert float(farther.apply(np.array([60.0]))[0]) > 60.2
    assert farther.undo(farther.apply(np.array([60.0])))[0] == pytest.approx(60, abs=1e-9)


def test_a_distance_without_the_air_is_refused() -> None:
    with pytest.raises(Refused, match=r"dials.air_c.*distance and air temperature together"):
        correction_for(RecordedAs(), box("r", 0, 4), dials(distance_m=10))


def test_a_region_has_an_emissivity_of_its_own() -> None:
    shiny = box("r", 0, 4).model_copy(update={"emissivity": 0.4, "reflected_c": 25.0})
    got = readings(frames(np.full((1, 4), 60.0), emissivity_set=1.0), [shiny], dials(emissivity=0.9))["r"].x[0]
    assert got == pytest.approx(float(object_c(np.array([60.0]), Seen(0.4, 25.0))[0]), abs=1e-9)


# ---- what is learnt --------------------------------------------------------------------------------------------------


def test_median_and_mad_are_not_moved_by_an_outlier_as_published() -> None:
    inputs, expected = check("D20")
    centre, mad = median_and_mad(inputs["x_C"])
    assert [centre, mad, centre + inputs["k"] * 1.4826 * mad] == expected


def test_the_band_is_median_and_mad_of_what_was_learnt() -> None:
    rule = Rule("above", 1.0, baseline_s=600.0, spread_k=4.0)
    learner = Baseline(rule)
    values = np.random.default_rng(2).normal(20, 0.4, 60).round(3).tolist()
    for i, value in enumerate(values[:9]):
        learner.learn(i * 10.0, value)
        learner.learn(i * 10.0 + 5, 99.0)  # between two sixtieths of the time nothing is learnt
    assert learner.edge == float("inf")  # too little to say anything
    for i, value in enumerate(values[9:], 9):
        learner.learn(i * 10.0, value)
    centre, mad = median_and_mad(values)
    assert learner.edge == pytest.approx(centre + 4 * 1.4826 * mad)
    flat = Baseline(rule, [20.0] * 10)
    assert flat.edge == pytest.approx(20 + 4 * 0.05)  # never narrower than the sensor resolves


def test_learning_stops_while_raised() -> None:
    t = np.arange(0, 4000.0, 5)
    x = 20 + 0.1 * np.sin(t)
    x[t >= 2000] += 8.0  # and stays: an ordinary mean would have made it normal within the hour
    rule = Rule("above", 2.0, baseline_s=600.0, spread_k=4.0, gap_s=30.0)
    [raised] = run(Series(t, x), rule)
    assert (t[raised.raised], raised.cleared) == (2000.0, None)


def test_a_slow_drift_is_learnt_and_raises_nothing() -> None:
    t = np.arange(0, 20_000.0, 5)
    drift = Series(t, 20 + t / 2000 + 0.05 * np.sin(t))
    assert run(drift, Rule("above", 2.0, baseline_s=1200.0, spread_k=4.0)) == []
    assert run(drift, Rule("above", 22.0)) != []


def test_dials_that_do_not_agree_are_refused() -> None:
    for values, word in (
        ({"against": "baseline", "condition": "rise"}, "goes with against alone only"),
        ({"against": "neighbours", "statistic": "extent"}, "goes with against alone only"),
        ({"load_percent": 50}, "goes with against neighbours only"),
    ):
        with pytest.raises(Refused, match=word):
            dials(**values)


def test_a_learning_detector_has_no_exact_sweep_and_says_so() -> None:
    s = Series(np.arange(200.0), np.full(200, 20.0), "°C", "r")
    region = ReadingRegion(name="r", shape="spot", points=((0, 0),))
    held = subject_of(Detector(name="d", kind="heat", regions=(region,), dials={"against": "baseline"}), {"r": s})
    with pytest.raises(Refused, match="none while it learns"):
        held.sweep("delta_c", [])
    assert len(held.sweep("delta_c", [], low=1, high=5, step=1)) == 5


@pytest.mark.parametrize(
    "values",
    [
        {"statistic": "percentile", "percentile": 70, "threshold_c": 29},
        {"against": "neighbours", "delta_c": 3, "load_percent": 60},
        {"against": "neighbours", "condition": "below", "delta_c": 3},
        {"against": "baseline", "baseline_s": 60, "delta_c": 1},
        {"statistic": "mean", "emissivity": 0.7, "transmittance": 0.9, "model": "band_8_14", "threshold_c": 30},
        {"condition": "rise", "rise_by": "slope", "window_s": 8, "delta_c": 2},
    ],
)
def test_live_equals_batch_for_every_way_to_read(values: dict) -> None:
    rng = np.random.default_rng(8)
    rows = 25 + rng.normal(0, 0.3, (200, 6)) + np.array([0, 0, 0, 0, 2, 2])
    rows[120:160, 2:4] += 9.0
    setting = dials(**values)
    whole = frames(rows, emissivity_set=0.95, reflected_c=20)
    batch = readings(whole, PHASES, setting)
    reader, states, raised = Reader(PHASES, setting), {}, []
    for i in range(len(rows)):
        one = frames_of(
            whole_pixels(whole)[i : i + 1], whole.t_s[i : i + 1], scale=0.01, offset_c=-273.15, recorded=whole.recorded
        )
        for name, (x, paused_s) in reader.read(one, float(i)).items():
            assert x == pytest.approx(batch[name].x[i], abs=1e-9)
            states[name], changes = step(states.get(name, State()), float(i), x, setting.rule(3.0), paused_s)
            raised += [(c.t, name) for c in changes if c.what == "raise"]
    expected = [(float(s.t_s[r.raised]), name) for name, s in batch.items() for r in run(s, setting.rule(3.0))]
    assert sorted(raised) == sorted(expected)
    assert expected


def whole_pixels(picture: Frames) -> np.ndarray:
    return np.concatenate(list(picture.blocks()))


def test_cautions_for_low_emissivity() -> None:
    shiny = [box("bus", 0, 4).model_copy(update={"emissivity": 0.1})]
    assert "do not set absolute alarms" in kind.cautions(RecordedAs(), shiny, dials())[0]
    assert kind.cautions(RecordedAs(), shiny, dials(condition="rise")) == []  # a rise may be taken from it
    assert "small errors of it" in kind.cautions(RecordedAs(emissivity_set=0.5), [box("r", 0, 4)], dials())[0]
    assert kind.cautions(RecordedAs(emissivity_set=0.95), [box("r", 0, 4)], dials()) == []
