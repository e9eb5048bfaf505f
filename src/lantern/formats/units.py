"""Units of readings from outside: one list, known by many spellings. Temperatures become °C at the border, differences of them K."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache, lru_cache
from tokenize import TokenError
from typing import Any

import numpy as np

from lantern.core.faults import FaultList
from lantern.core.signals import Floats


@dataclass(frozen=True, slots=True)
class Unit:
    """`symbol`: in files and on pages; `own`: what the program calls it, and its numbers are in from the border on."""

    symbol: str
    words: str
    pint: str  # its name in the library
    own: str = ""
    own_pint: str = ""

    @property
    def inside(self) -> str:
        return self.own or self.symbol

    def to_inside(self, x: Floats) -> Floats:
        """Return numbers in the unit inside. Source: the definitions of the library."""
        if not self.own_pint or self.own_pint == self.pint:
            return x
        held = _library()
        converted: Floats = held.Quantity(x, self.pint).to(self.own_pint).magnitude
        return np.round(converted, 9)


UNITS = (
    Unit("", "no unit, a count", "dimensionless"),
    Unit("°C", "temperature", "degree_Celsius", "°C", "degree_Celsius"),
    Unit("°F", "temperature", "degree_Fahrenheit", "°C", "degree_Celsius"),
    Unit("K", "temperature, absolute", "kelvin", "°C", "degree_Celsius"),
    Unit("Δ°C", "temperature difference", "delta_degree_Celsius", "K", "delta_degree_Celsius"),
    Unit("Δ°F", "temperature difference", "delta_degree_Fahrenheit", "K", "delta_degree_Celsius"),
    Unit("%", "share", "percent"),
    Unit("m", "length", "meter"),
    Unit("cm", "length", "centimeter"),
    Unit("mm", "length", "millimeter"),
    Unit("m/s", "speed", "meter / second"),
    Unit("km/h", "speed", "kilometer / hour"),
    Unit("mm/s", "vibration", "millimeter / second"),
    Unit("m/s²", "acceleration", "meter / second ** 2"),
    Unit("Pa", "pressure", "pascal"),
    Unit("hPa", "pressure", "hectopascal"),
    Unit("kPa", "pressure", "kilopascal"),
    Unit("bar", "pressure", "bar"),
    Unit("mbar", "pressure", "millibar"),
    Unit("psi", "pressure", "psi"),
    Unit("l/min", "flow", "liter / minute"),
    Unit("l/s", "flow", "liter / second"),
    Unit("m³/h", "flow", "meter ** 3 / hour"),
    Unit("V", "voltage", "volt"),
    Unit("mV", "voltage", "millivolt"),
    Unit("A", "current", "ampere"),
    Unit("mA", "current", "milliampere"),
    Unit("W", "power", "watt"),
    Unit("kW", "power", "kilowatt"),
    Unit("W/m²", "irradiance", "watt / meter ** 2"),
    Unit("Hz", "frequency", "hertz"),
    Unit("lx", "illuminance", "lux"),
    Unit("dB", "level", "decibel"),
    Unit("ppm", "concentration", "ppm"),
    Unit("mg/m³", "concentration", "milligram / meter ** 3"),
    Unit("g/m³", "concentration", "gram / meter ** 3"),
    Unit("s", "time", "second"),
    Unit("ms", "time", "millisecond"),
    Unit("kg", "mass", "kilogram"),
    Unit("N", "force", "newton"),
    Unit("°", "angle", "degree"),
)
SPELLING = re.compile(
    r"[A-Za-zµμΩ°%Δ/²³ ._-]{1,40}[23]?(/[A-Za-z]{1,10}[23]?)?"
)  # no powers: a parser would work them out
_BY_SYMBOL = {unit.symbol: unit for unit in UNITS}
# What headers write, and the library takes for something else (a coulomb, a farad) or does not know; common practice, no source.
_SPELLED = {
    "C": "°C", "ºC": "°C", "℃": "°C", "deg C": "°C", "deg. C": "°C", "grad C": "°C", "F": "°F", "ºF": "°F", "℉": "°F", "deg F": "°F",
    "°K": "K", "K diff": "Δ°C", "pct": "%", "kph": "km/h", "m3/h": "m³/h", "lux": "lx", "dB(A)": "dB", "Volt": "V", "count": "",
    "counts": "", "1": "",
}  # fmt: skip


def choices() -> list[tuple[str, str]]:
    """Return (symbol, in words) of each unit, as a page offers them."""
    return [(unit.symbol, f"{unit.symbol}, {unit.words}" if unit.symbol else unit.words) for unit in UNITS]


@lru_cache(maxsize=500)
def unit_of(text: str) -> Unit | None:
    """Return the unit of the list that a text means, in whatever spelling; None: no one of them."""
    plain = text.strip()
    found = _BY_SYMBOL.get(_SPELLED.get(plain, plain))
    if found is not None or not plain:
        return found
    if not SPELLING.fullmatch(plain):
        return None
    held = _library()
    try:
        meant = held.Unit(plain)
    except (_errors(), ValueError, TypeError, AttributeError, KeyError, SyntaxError, TokenError):
        return None  # the library's parser makes nothing of it
    return next((unit for unit in UNITS if held.Unit(unit.pint) == meant), None)


def read_units(units: Mapping[str, str], faults: FaultList, *, where: str) -> dict[str, Unit]:
    """Return the units of columns. One that is not on the list is a fault."""
    out = {}
    for column, text in units.items():
        unit = unit_of(text)
        if unit is None:
            known = ", ".join(each.symbol for each in UNITS if each.symbol)
            faults.add(f"{where}, {column}", f"{text[:40]!r} is no unit that is known", f"one of {known}; or none")
        else:
            out[column] = unit
    return out


def inside_of(text: str) -> Unit | None:
    """Return the unit that the program calls so."""
    return next((unit for unit in UNITS if unit.inside == text), None)


def _errors() -> type[Exception]:
    from pint.errors import PintError

    return PintError


@cache
def _library() -> Any:
    import pint  # a quarter of a second, which most calls do without

    return pint.UnitRegistry()
