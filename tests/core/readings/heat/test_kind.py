"""The kind `heat` as the contract words it: readings, extent, emissivity, peaks and what an event tells."""

from __future__ import annotations

import numpy as np
import pytest

from builders import subject_of
from checks import check
from lantern.core.dials import read_dials
from lantern.core.events import Detector
from lantern.core.faults import Refused
from lantern.core.readings.heat import kind
from lantern.core.readings.heat.dials import HeatDials
from lantern.core.readings.heat.reading import readings, reduction_of
from lantern.core.readings.region import ReadingRegion
from lantern.core.signals import Frames, RecordedAs, Series, frames_of

BOX = ReadingRegion(name="box", shape="box", points=((0, 0), (4, 2)))


def frames(rows: list[list[float]], **recorded: float) -> Frames:
    """One picture of 4 x 2 pixels a row; hundredths of a degree, as uint16."""
    celsius = np.array(rows, dtype=float).reshape(-1, 2, 4)
    raw = np.round((celsius + 273.15) * 100).astype(np.uint16)
    return frames_of(
        raw, np.arange(len(rows), dtype=float), scale=0.01, offset_c=-273.15, recorded=RecordedAs(**recorded)
    )


def dials(**values: object) -> HeatDials:
    return read_dials(HeatDials, {"sustain_s": 0, "hysteresis_c": 0, "rearm_s": 0} | values)


def hot(*pixels: float) -> list[float]:
    return [*pixels, *[20.0] * (8 - len(pixels))]


def test_a_reading_at_the_threshold_is_not_above_it() -> None:
    # raw 32315 stands for exactly 50 °C
    assert kind.evaluate(frames([hot(50.0), hot(50.01)]), "d", [BOX], dials(threshold_c=50))[0].raised_s == 1.0


def test_peak_is_the_most_extreme_reading_up_to_the_clear() -> None:
    [event] = kind.evaluate(
        frames([hot(20), hot(61), hot(75), hot(58), hot(90)]), "d", [BOX], dials(threshold_c=60, clear_s=2)
    )
    assert (event.raised_s, event.cleared_s, event.cleared_by, event.peak) == (1.0, None, "end", 90.0)
    [event] = kind.evaluate(
        frames([hot(20), hot(-5), hot(-9), hot(20)]),
        "d",
        [BOX],
        dials(statistic="min", condition="below", threshold_c=0),
    )
    assert (event.raised_s, event.cleared_s, event.peak) == (1.0, 3.0, -9.0)


def test_statistics() -> None:
    picture = frames([[10, 20, 30, 40, 50, 60, 70, 80]])
    for statistic, expected in (("max", 80), ("min", 10), ("mean", 45)):
        assert readings(picture, [BOX], dials(statistic=statistic))["box"].x[0] == pytest.approx(expected)


def test_extent_in_percent_as_published() -> None:
    inputs, expected = check("D16")
    values = [*inputs["pixels_C"]]
    picture = frames_of(np.array(values, np.float32).reshape(1, 1, 10), np.zeros(1), scale=1, offset_c=0)
    region = ReadingRegion(name="r", shape="box", points=((0, 0), (10, 1)))
    setting = dials(statistic="extent", extent_unit="percent", extent=inputs["p_percent"], threshold_c=inputs["T_C"])
    reduction = reduction_of(setting, 10)
    reading = float(readings(picture, [region], setting)["r"].x[0])
    raised = bool(kind.evaluate(picture, "d", [region], setting))
    assert [reduction.k, reading, raised] == expected


def test_extent_counts_pixels_and_its_peak_is_the_greatest_count() -> None:
    picture = frames([hot(), hot(61, 61), hot(61, 61, 61), hot(70, 70, 70, 70), hot(61)])
    [event] = kind.evaluate(picture, "d", [BOX], dials(statistic="extent", extent=3, threshold_c=60))
    assert (event.raised_s, event.cleared_s, event.peak) == (2.0, 4.0, 4.0)
    [event] = kind.evaluate(
        picture, "d", [BOX], dials(statistic="extent", extent=50, extent_unit="percent", threshold_c=60)
    )
    assert (event.raised_s, event.peak) == (3.0, 50.0)


def test_extent_beyond_the_regions_pixels_never_raises() -> None:
    assert (
        kind.evaluate(frames([hot(99), [99] * 8]), "d", [BOX], dials(statistic="extent", extent=9, threshold_c=60))
        == []
    )


def test_a_region_with_another_emissivity_is_corrected_pixel_by_pixel() -> None:
    # recorded as a black body; the shiny target is really hotter. 77.4 °C: exponent 4, tau 1, hand computation
    picture = frames([hot(60)], emissivity_set=1.0)
    shiny = BOX.model_copy(update={"emissivity": 0.6, "reflected_c": 20.0})
    expected = (((60 + 273.15) ** 4 - 0.4 * 293.15**4) / 0.6) ** 0.25 - 273.15
    assert readings(picture, [shiny], dials())["box"].x[0] == pytest.approx(expected, abs=1e-9)
    [event] = kind.evaluate(picture, "d", [shiny], dials(threshold_c=70))
    assert event.why["emissivity"] == 0.6
    assert "exponent 4" in event.why["model"]
    assert "model" not in kind.evaluate(picture, "d", [BOX], dials(threshold_c=50))[0].why


def test_the_mean_averages_corrected_pixels_not_the_reading() -> None:
    picture = frames([[30, 90, 20, 20, 20, 20, 20, 20]], emissivity_set=0.95, reflected_c=20.0)
    setting = dials(statistic="mean", emissivity=0.5)
    each = []
    for value in (30, 90, 20, 20, 20, 20, 20, 20):
        apparent = 0.95 * (value + 273.15) ** 4 + 0.05 * 293.15**4
        each.append(((apparent - 0.5 * 293.15**4) / 0.5) ** 0.25 - 273.15)
    assert readings(picture, [BOX], setting)["box"].x[0] == pytest.approx(np.mean(each), abs=1e-9)


def test_regions_decide_by_themselves_and_events_come_in_order() -> None:
    left = ReadingRegion(name="a", shape="box", points=((0, 0), (2, 2)))
    right = ReadingRegion(name="b", shape="box", points=((2, 0), (4, 2)))
    picture = frames(
        [[20, 20, 90, 20, 20, 20, 20, 20], [90, 20, 20, 20, 20, 20, 20, 20], [20] * 8, [90, 20, 90, 20, 20, 20, 20, 20]]
    )
    events = kind.evaluate(picture, "d", [left, right], dials(threshold_c=60))
    assert [(e.raised_s, e.region) for e in events] == [(0.0, "b"), (1.0, "a"), (3.0, "a"), (3.0, "b")]


def test_an_event_line_has_the_keys_of_the_contract() -> None:
    [event] = kind.evaluate(frames([hot(99)]), "d", [BOX], dials(threshold_c=60))
    keys = {"detector", "region", "raised_s", "cleared_s", "cleared_by", "repeat", "peak", "object", "why"}
    assert set(event.as_dict()) == keys


def test_readings_of_a_series_go_by_the_regions_name() -> None:
    s = Series(np.arange(3.0), np.array([20.0, 70, 20]), "°C", "left")
    detector = Detector(
        name="d",
        kind="heat",
        regions=(ReadingRegion(name="left", shape="spot", points=((0, 0),)),),
        dials={"sustain_s": 0},
    )
    assert subject_of(detector, {"left": s, "right": s}).events()[0].raised_s == 1.0
    other = detector.model_copy(update={"regions": (ReadingRegion(name="top", shape="spot", points=((0, 0),)),)})
    assert subject_of(other, {"left": s}).events()[0].raised_s == 1.0  # one column, one region
    with pytest.raises(Refused, match="one of: left, right"):
        subject_of(other, {"left": s, "right": s})


def test_sweeping_the_emissivity_reads_anew() -> None:
    detector = Detector(name="d", kind="heat", regions=(BOX,), dials={"sustain_s": 0, "threshold_c": 70})
    subject = subject_of(detector, frames([hot(60), hot(20)], emissivity_set=1.0, reflected_c=20.0))
    rows = subject.sweep("emissivity", [], low=0.5, high=1.0, step=0.25)
    assert [(row.value, row.result.false_alarms) for row in rows] == [(0.5, 1), (0.75, 1), (1.0, 0)]


def test_two_regions_of_one_name_are_refused() -> None:
    with pytest.raises(Refused, match="two regions named box"):
        subject_of(Detector(name="d", kind="heat", regions=(BOX, BOX)), frames([hot()]))
