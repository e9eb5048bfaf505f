"""Temperatures in the user's scale: fixed points, and differences that are not levels."""

from __future__ import annotations

import pytest

from lantern.core.dials import describe_dial
from lantern.core.faults import Refused
from lantern.core.readings.heat.dials import HeatDials
from lantern.core.units import Scale


def test_levels_at_the_fixed_points() -> None:
    # ice and steam point of water: 32 and 212 °F, 273.15 and 373.15 K (definitions)
    assert [Scale("°F").level.show(c) for c in (0, 100, -40)] == [32, 212, -40]
    assert [Scale("K").level.show(c) for c in (0, 100)] == [273.15, 373.15]
    assert Scale("°F").level.read(98.6) == pytest.approx(37)


def test_a_difference_of_5_degrees_celsius_is_9_fahrenheit_and_not_41() -> None:
    assert Scale("°F").difference.show(5) == 9
    assert Scale("°F").level.show(5) == 41
    assert Scale("K").difference.show(5) == 5
    assert Scale("°F").difference.read(9) == 5


def test_dials_know_which_of_them_are_differences() -> None:
    scale = Scale("°F")
    shown = {}
    for name in ("threshold_c", "delta_c", "hysteresis_c", "shutter_step_c", "reflected_c", "air_c"):
        info = describe_dial(HeatDials, name)
        shown[name] = scale.of(info.unit, difference=info.difference).text(10)
    assert shown["threshold_c"] == shown["reflected_c"] == shown["air_c"] == "50 °F"
    assert shown["delta_c"] == shown["hysteresis_c"] == shown["shutter_step_c"] == "18 °F"
    assert scale.of("s").text(10) == "10 s"
    assert scale.of("K").text(10) == "18 °F"


def test_the_allowed_range_is_worded_in_the_scale() -> None:
    info = describe_dial(HeatDials, "hysteresis_c")
    assert (
        info.allowed(Scale("°F").of(info.unit, difference=info.difference))
        == "a number of at least 0 and at most 900 °F"
    )


def test_an_unknown_scale_is_refused() -> None:
    with pytest.raises(Refused, match="one of °C, °F, K"):
        Scale("Réaumur")
