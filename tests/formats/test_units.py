"""Units: many spellings of one, temperatures in °C from the border on, what nobody knows is refused."""

from __future__ import annotations

import numpy as np
import pytest

from lantern.core.faults import FaultList, Refused
from lantern.formats.tables import read_series, series_of, write_series
from lantern.formats.units import UNITS, choices, inside_of, read_units, unit_of


@pytest.mark.parametrize(
    ("text", "symbol"),
    [
        ("°C", "°C"), ("degC", "°C"), ("C", "°C"), ("celsius", "°C"), ("ºC", "°C"), ("deg C", "°C"), ("degree_Celsius", "°C"),
        ("°F", "°F"), ("F", "°F"), ("fahrenheit", "°F"), ("degF", "°F"), ("K", "K"), ("kelvin", "K"), ("delta_degC", "Δ°C"),
        ("percent", "%"), (" % ", "%"), ("", ""), ("metre", "m"), ("km/h", "km/h"), ("kph", "km/h"), ("liter/minute", "l/min"),
        ("L/min", "l/min"), ("kilopascal", "kPa"), ("m3/h", "m³/h"), ("µm", None), ("foo", None), ("9**9**9**9", None),
        ("C;D", None), ("x" * 300, None), ("__import__('os')", None),
    ],
)  # fmt: skip
def test_spellings(text: str, symbol: str | None) -> None:
    unit = unit_of(text)
    assert (None if unit is None else unit.symbol) == symbol


def test_the_list_is_of_units_that_differ_and_the_library_knows_each() -> None:
    assert len({unit.symbol for unit in UNITS}) == len(UNITS) == len(choices())
    for unit in UNITS:
        assert unit_of(unit.symbol) == unit
        assert inside_of(unit.inside) is not None


@pytest.mark.parametrize(
    ("unit", "given", "celsius"),
    # fixed points: ice, steam, where both scales meet, absolute zero (textbook); body temperature as thermometers print it
    [
        ("°F", 32, 0),
        ("°F", 212, 100),
        ("°F", -40, -40),
        ("°F", 98.6, 37),
        ("K", 273.15, 0),
        ("K", 0, -273.15),
        ("°C", 60, 60),
    ],
)
def test_temperatures_are_celsius_inside(unit: str, given: float, celsius: float) -> None:
    t_s, columns = read_series(f"t_s,x\n0,{given}\n1,{given}\n".encode(), where="s.csv", units={"x": unit})
    series = series_of(t_s, columns, {"x": unit})["x"]
    assert series.unit == "°C"
    assert series.x[0] == pytest.approx(celsius, abs=1e-9)


def test_a_difference_is_no_level() -> None:
    """5 °C of difference are 9 °F of it, and 5 K."""
    unit = unit_of("Δ°F")
    assert unit is not None
    assert unit.to_inside(np.array([9.0])) == pytest.approx([5.0])
    assert unit.inside == "K"


def test_what_was_read_comes_back_equal() -> None:
    """What goes out is in the unit that it has inside, and is read as the same numbers."""
    for given in ("°F", "Δ°F", "bar", ""):
        t_s, columns = read_series(b"t_s,x\n0,70.1\n1,71.3\n", where="s.csv", units={"x": given})
        before = series_of(t_s, columns, {"x": given})
        inside = inside_of(before["x"].unit)
        assert inside is not None
        again_s, again = read_series(write_series(before).encode(), where="s.csv", units={"x": inside.symbol})
        after = series_of(again_s, again, {"x": inside.symbol})["x"]
        assert (after.x.tolist(), after.unit) == (before["x"].x.tolist(), before["x"].unit)


def test_unknown_units_and_impossible_temperatures_are_refused() -> None:
    faults = FaultList()
    assert read_units({"a": "furlong", "b": "°C"}, faults, where="take.json: units").keys() == {"b"}
    with pytest.raises(Refused, match=r"take\.json: units, a: 'furlong' is no unit that is known"):
        faults.refuse_if_any()
    with pytest.raises(Refused, match="-500"):
        read_series(b"t_s,x\n0,20\n1,-500\n", where="s.csv", units={"x": "°F"})
    with pytest.raises(Refused, match="no unit"):
        read_series(b"t_s,x\n0,20\n1,21\n", where="s.csv", units={"x": "parsec per fortnight"})
