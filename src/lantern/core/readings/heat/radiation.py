"""What a camera makes of radiation: total radiation or a band of it, forward and back.

A surface of emissivity e at T, before surroundings at Tr, seen through air at Ta of transmittance tau, sends
tau*e*S(T) + tau*(1-e)*S(Tr) + (1-tau)*S(Ta), kelvin. What the camera had set while recording is undone first, so that
nothing is corrected twice. Source: the radiometric chain of the handbooks of thermography (textbook). S is T^4
(Stefan-Boltzmann, all wavelengths) or Planck's law integrated over the camera's band.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Literal, Protocol

import numpy as np
from scipy import constants

from lantern.core.faults import Fault, Refused
from lantern.core.signals import KELVIN_AT_0_C, Floats, RecordedAs

Model = Literal["total", "band_8_14", "band_3_5"]
MODELS: dict[Model, str] = {
    "total": "total radiation, exponent 4",
    "band_8_14": "Planck's law over 8 to 14 um",
    "band_3_5": "Planck's law over 3 to 5 um",
}
BANDS_UM: dict[Model, tuple[float, float]] = {"band_8_14": (8.0, 14.0), "band_3_5": (3.0, 5.0)}
DEFAULT_REFLECTED_C = 20.0  # a room; common practice, no source


class Radiator(Protocol):
    def signal(self, kelvin: Floats) -> Floats:
        """Return what a black body at that temperature sends; rises with it."""

    def kelvin(self, signal: Floats) -> Floats:
        """The inverse, for signals above 0."""


class TotalRadiation:
    def signal(self, kelvin: Floats) -> Floats:
        return kelvin**4

    def kelvin(self, signal: Floats) -> Floats:
        return signal**0.25


class Band:
    """Planck's law over a band in um, W/(m2 sr), tabulated once.

    The logarithm of the signal is nearly straight over 1/T, so interpolating between 8,192 points of it errs by less than
    a thousandth of a kelvin from 50 to 4,000 K, both ways (`tests/core/readings/heat/test_radiation.py` holds it against quadrature).
    """

    COLDEST_K, HOTTEST_K, POINTS, NODES = 50.0, 4000.0, 8192, 64

    def __init__(self, low_um: float, high_um: float) -> None:
        self.inverse_k = np.linspace(1 / self.HOTTEST_K, 1 / self.COLDEST_K, self.POINTS)  # rising: colder to the right
        nodes, weights = np.polynomial.legendre.leggauss(self.NODES)
        wave_m = ((high_um + low_um) + (high_um - low_um) * nodes) / 2 * 1e-6
        radiance = planck(wave_m[None, :], 1 / self.inverse_k[:, None])
        self.log_signal = np.log(radiance @ weights * (high_um - low_um) / 2 * 1e-6)

    def signal(self, kelvin: Floats) -> Floats:
        return np.asarray(np.exp(np.interp(1 / kelvin, self.inverse_k, self.log_signal)))

    def kelvin(self, signal: Floats) -> Floats:
        return np.asarray(1 / np.interp(-np.log(signal), -self.log_signal, self.inverse_k))


def planck(wave_m: Floats, kelvin: Floats) -> Floats:
    """Spectral radiance of a black body in W/(m2 sr m), by CODATA constants."""
    first = 2 * constants.h * constants.c**2
    second = constants.h * constants.c / constants.k
    return np.asarray(first / wave_m**5 / np.expm1(second / (wave_m * kelvin)))


@lru_cache
def radiator(model: Model) -> Radiator:
    return TotalRadiation() if model == "total" else Band(*BANDS_UM[model])


@dataclass(frozen=True, slots=True)
class Seen:
    """How a surface is seen: emissivity in (0, 1], reflected apparent temperature in °C, and the air between."""

    emissivity: float = 1.0
    reflected_c: float = DEFAULT_REFLECTED_C
    transmittance: float = 1.0
    air_c: float = DEFAULT_REFLECTED_C

    def __post_init__(self) -> None:
        for name in ("emissivity", "transmittance"):
            value = getattr(self, name)
            if not 0 < value <= 1:
                raise Refused([Fault(name, f"{value:g}", "above 0 and at most 1")])
        for name in ("reflected_c", "air_c"):
            _check_kelvin(np.array([getattr(self, name)]), name)

    def as_dict(self) -> dict[str, float]:
        out = {"emissivity": self.emissivity, "reflected_c": self.reflected_c}
        return out if self.transmittance == 1 else out | {"transmittance": self.transmittance, "air_c": self.air_c}


def seen_as_recorded(recorded: RecordedAs, transmittance: float = 1.0) -> Seen:
    """Return what the take's values were corrected with; a take that does not say was recorded with emissivity 1."""
    emissivity = 1.0 if recorded.emissivity_set is None else recorded.emissivity_set
    reflected = DEFAULT_REFLECTED_C if recorded.reflected_c is None else recorded.reflected_c
    return Seen(emissivity, reflected, transmittance, reflected if recorded.air_c is None else recorded.air_c)


def apparent_c(object_c: Floats, seen: Seen, model: Model = "total") -> Floats:
    """Return what a black body would have to be to send the same: °C to °C."""
    _check_kelvin(object_c, "temperature")
    s = radiator(model)
    tau, e = seen.transmittance, seen.emissivity
    sent = tau * e * s.signal(object_c + KELVIN_AT_0_C) + _added(seen, s)
    return s.kelvin(sent) - KELVIN_AT_0_C


def object_c(apparent: Floats, seen: Seen, model: Model = "total") -> Floats:
    """The inverse of `apparent_c`. Refuses readings below what surroundings and air alone send."""
    _check_kelvin(apparent, "temperature")
    s = radiator(model)
    own = s.signal(apparent + KELVIN_AT_0_C) - _added(seen, s)
    if np.any(own <= 0):
        what = f"reflection exceeds the signal: {float(np.min(apparent)):.1f} °C apparent, emissivity {seen.emissivity:g}, "
        remedy = "a higher emissivity or a lower reflected temperature"
        raise Refused([Fault("emissivity", what + f"reflected {seen.reflected_c:g} °C", remedy)])
    return s.kelvin(own / (seen.transmittance * seen.emissivity)) - KELVIN_AT_0_C


def _added(seen: Seen, s: Radiator) -> float:
    """Return what is not the surface's own: reflected, and the air's."""
    tau, e = seen.transmittance, seen.emissivity
    reflected, air = s.signal(np.array([seen.reflected_c, seen.air_c]) + KELVIN_AT_0_C)
    return float(tau * (1 - e) * reflected + (1 - tau) * air)


def _check_kelvin(celsius: Floats, where: str) -> None:
    coldest = float(np.min(celsius)) if np.size(celsius) else 0.0
    if coldest <= -KELVIN_AT_0_C:
        raise Refused([Fault(where, f"{coldest:g} °C is at or below absolute zero", "above -273.15 °C")])


@dataclass(frozen=True, slots=True)
class Correction:
    """A correction from values seen as recorded to values seen as they should have been."""

    recorded: Seen
    wanted: Seen
    model: Model = "total"

    @property
    def changes(self) -> bool:
        return self.recorded != self.wanted

    def apply(self, values_c: Floats) -> Floats:
        """°C to °C; the same array where nothing differs."""
        if not self.changes:
            return values_c
        return object_c(apparent_c(values_c, self.recorded, self.model), self.wanted, self.model)

    def undo(self, values_c: Floats) -> Floats:
        return Correction(self.wanted, self.recorded, self.model).apply(values_c)
