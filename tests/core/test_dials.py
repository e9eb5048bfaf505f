"""Dials: bounds, units and words stand once, and a bad value is told with all three."""

from __future__ import annotations

import pytest

from lantern.core.dials import describe, read_dials
from lantern.core.faults import Refused
from lantern.core.kinds import KINDS, kind_of
from lantern.core.readings.heat.dials import HeatDials


def refusal(values: dict) -> str:
    with pytest.raises(Refused) as caught:
        read_dials(HeatDials, values)
    return str(caught.value)


def test_a_dial_left_out_has_its_default() -> None:
    dials = read_dials(HeatDials, {"threshold_c": 0})
    assert dials.threshold_c == 0.0  # zero is a value, not a missing one
    assert dials.sustain_s == 3.0


@pytest.mark.parametrize("value", [-1, float("nan"), float("inf"), "soon", None])
def test_a_bad_value_names_dial_value_and_what_is_allowed(value: object) -> None:
    text = refusal({"sustain_s": value})
    assert "dials.sustain_s" in text
    assert repr(value) in text
    assert "a number of at least 0 and at most 86400 s" in text


def test_unknown_names_are_refused_with_the_known_ones() -> None:
    assert "no dial named 'treshold_c'" in refusal({"treshold_c": 3})
    assert "threshold_c" in refusal({"treshold_c": 3})


@pytest.mark.parametrize(
    ("values", "word"),
    [
        ({"repeat": True, "rearm_s": 0}, "repeat"),
        ({"statistic": "extent", "condition": "rise"}, "extent"),
        ({"statistic": "extent", "extent_unit": "percent", "extent": 101}, "percent"),
        ({"emissivity": 0}, "emissivity"),
        ({"emissivity": 1.01}, "emissivity"),
        ({"statistic": "median"}, "one of max, min, mean, percentile, extent"),
    ],
)
def test_values_that_make_no_sense_are_refused(values: dict, word: str) -> None:
    assert word in refusal(values)


def test_every_fault_is_told() -> None:
    with pytest.raises(Refused) as caught:
        read_dials(HeatDials, {"sustain_s": -1, "clear_s": -1, "rearm_s": "x"})
    assert len(caught.value.faults) == 3


@pytest.mark.parametrize("kind", KINDS.values(), ids=lambda kind: kind.name)
def test_every_dial_is_described(kind) -> None:
    for info in describe(kind.dials):
        assert info.meaning, info.name
        assert info.source, info.name
        if info.numeric:
            assert info.low is not None and info.high is not None and info.step, info.name
        if info.name.endswith("_s"):
            assert info.unit == "s"
        if info.name.endswith("_c"):
            assert info.unit == "°C"
        assert kind.matters(info.name, kind.dials()) in (True, False)


def test_unknown_kind_is_refused_with_those_there_are() -> None:
    with pytest.raises(Refused, match="one of face, follow, crossing, zone, count, path, plate, radar, heat, skin"):
        kind_of("haet")
