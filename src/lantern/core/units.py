"""Temperatures as the user chose to see them. SI inside; converted only where something is shown or typed.

A level and a difference convert differently: 5 °C of difference are 9 °F, not 41.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from lantern.core.faults import Fault, Refused
from lantern.core.signals import KELVIN_AT_0_C

SCALES: dict[str, tuple[float, float]] = {"°C": (1.0, 0.0), "°F": (1.8, 32.0), "K": (1.0, KELVIN_AT_0_C)}


def short(value: float, digits: int = 4) -> str:
    """Return at most so many digits that mean something, without an exponent where it can be read without."""
    return f"{float(f'{value:.{digits}g}'):.12g}"


@dataclass(frozen=True, slots=True)
class Quantity:
    """How a number is shown: shown = value x factor + offset, with its unit."""

    unit: str = ""
    factor: float = 1.0
    offset: float = 0.0

    def show(self, value: float) -> float:
        return value * self.factor + self.offset

    def read(self, shown: float) -> float:
        """Return what was typed, back to SI."""
        return round((shown - self.offset) / self.factor, 9)

    def text(self, value: float, digits: int = 4) -> str:
        return f"{short(self.show(value), digits)} {self.unit}".rstrip()

    def fixed(self, value: float, decimals: int) -> str:
        return f"{self.show(value):.{decimals}f} {self.unit}".rstrip()

    @property
    def width(self) -> Quantity:
        """Return the quantity for the difference of two such values."""
        return Quantity(self.unit, self.factor)

    def as_dict(self) -> dict[str, Any]:
        return {"unit": self.unit, "factor": self.factor, "offset": self.offset}


@dataclass(frozen=True, slots=True)
class Scale:
    """The user's temperature scale."""

    name: str = "°C"

    def __post_init__(self) -> None:
        if self.name not in SCALES:
            raise Refused([Fault("temperature scale", repr(self.name), f"one of {', '.join(SCALES)}")])

    @property
    def level(self) -> Quantity:
        return Quantity(self.name, *SCALES[self.name])

    @property
    def difference(self) -> Quantity:
        return self.level.width

    def of(self, unit: str, *, difference: bool = False) -> Quantity:
        """The quantity of a dial or a series by its SI unit: "°C" is a level (or a difference), "K" a difference."""
        if unit == "°C" and not difference:
            return self.level
        return self.difference if unit in ("°C", "K") else Quantity(unit)


CELSIUS = Scale()
