"""Emissivities to choose from, and what a material's range makes of a reading and of its alarms.

Handbook values for 8 to 14 um, recalled (*from memory, of middling confidence*); measure in place where it matters: ISO
18434-1 and ASTM E1933 for the emissivity, ASTM E1862 for the reflected temperature.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from lantern.core.faults import Refused
from lantern.core.readings.heat.radiation import Correction, Seen

WARN_BELOW = 0.6  # common practice, no source
NO_ABSOLUTE_ALARMS_BELOW = 0.3  # common practice, no source
SOURCE = "handbook values, 8 to 14 um, from memory"
FAN_STEPS = 9


@dataclass(frozen=True, slots=True)
class Material:
    """A surface and the range of its emissivity."""

    name: str
    low: float
    high: float
    note: str = ""

    @property
    def middle(self) -> float:
        return round((self.low + self.high) / 2, 3)

    def as_dict(self) -> dict[str, Any]:
        return asdict(self) | {"middle": self.middle, "source": SOURCE}


MATERIALS = (
    Material("skin", 0.97, 0.99),
    Material("water", 0.95, 0.97),
    Material("matt paint", 0.93, 0.96),
    Material("electrical tape", 0.93, 0.96),
    Material("rubber", 0.91, 0.95),
    Material("PVC", 0.91, 0.95),
    Material("concrete", 0.92, 0.94),
    Material("brick", 0.92, 0.94),
    Material("wood, pellets, paper", 0.85, 0.95),
    Material("asphalt", 0.93, 0.96),
    Material("glass", 0.85, 0.92, "opaque at these wavelengths"),
    Material("rusty steel", 0.7, 0.9),
    Material("oxidised copper", 0.6, 0.8),
    Material("stainless steel", 0.15, 0.45, "measure a taped or painted spot instead"),
    Material("weathered aluminium", 0.2, 0.4, "measure a taped or painted spot instead"),
    Material("polished aluminium or copper", 0.03, 0.07, "a mirror: measure a taped or painted spot instead"),
)


def caution(emissivity: float) -> tuple[str, str] | None:
    """(severity, sentence) where the emissivity is low, else None."""
    if emissivity < NO_ABSOLUTE_ALARMS_BELOW:
        text = "do not set absolute alarms: mostly the surroundings are measured. Use a taped spot, or a rise or a difference"
        return "advise against", f"emissivity {emissivity:g}, below {NO_ABSOLUTE_ALARMS_BELOW:g}: {text}"
    if emissivity < WARN_BELOW:
        return "warning", f"emissivity {emissivity:g}, below {WARN_BELOW:g}: small errors of it are large errors in °C"
    return None


@dataclass(frozen=True, slots=True)
class Blade:
    """One emissivity of a fan: what the reading becomes (None: refused, with the reason), and what the rule then makes of it."""

    emissivity: float
    reading_c: float | None
    misses: int | None
    false_alarms: int | None
    refused: str = ""

    def as_dict(self) -> dict[str, Any]:
        return asdict(self)


def fan(
    reading_c: float,
    recorded: Seen,
    wanted: Callable[[float], Correction],
    low: float,
    high: float,
    judge: Callable[[float], tuple[int, int]],
) -> list[Blade]:
    """Return what a reading (as recorded) becomes over a material's range of emissivity, and whether the alarm still
    comes.

    `wanted(e)` is the correction under emissivity e; `judge(e)` gives (misses, false alarms) under it.
    """
    out = []
    for e in np.linspace(low, high, FAN_STEPS).round(4).tolist():
        try:
            reading = float(wanted(e).apply(np.array([reading_c]))[0])
            misses, false_alarms = judge(e)
            out.append(Blade(e, round(reading, 2), misses, false_alarms))
        except Refused as refusal:
            out.append(Blade(e, None, None, None, refusal.faults[0].what))
    return out
