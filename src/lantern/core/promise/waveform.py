"""What a radar's waveform lets it tell apart: ranges, speeds, and the speed beyond which they fold. Textbook formulas; the rain by ITU-R
P.838-3, from memory.
"""

from __future__ import annotations

import math

from pydantic import Field

from lantern.core.modelled import Strict

LIGHT_MPS = 299_792_458.0
RAIN_K, RAIN_ALPHA, RAIN_GHZ = 0.1425, 1.0101, 24.0  # horizontal, at that frequency
HEAVY_MM_H = 25.0


class Waveform(Strict):
    """Frequency-modulated sweeps: `sweep_us` from the begin of one to that of the next, so many of them in a measurement."""

    f0_ghz: float = Field(gt=0.1, le=300)
    bandwidth_mhz: float = Field(gt=0, le=20_000)
    sweep_us: float = Field(gt=0, le=100_000)
    sweeps: int = Field(ge=2, le=65_536)

    @property
    def wavelength_m(self) -> float:
        return LIGHT_MPS / (self.f0_ghz * 1e9)

    @property
    def range_step_m(self) -> float:
        """Two that are nearer to each other than this look like one: c / 2B (G03)."""
        return LIGHT_MPS / (2 * self.bandwidth_mhz * 1e6)

    @property
    def fastest_mps(self) -> float:
        """Beyond this a speed folds, and who comes seems to go: lambda / 4T (G04)."""
        return self.wavelength_m / (4 * self.sweep_us * 1e-6)

    @property
    def speed_step_mps(self) -> float:
        """Two speeds that differ by less look like one: lambda / 2NT (G04)."""
        return self.wavelength_m / (2 * self.sweeps * self.sweep_us * 1e-6)

    def doppler_hz(self, speed_mps: float, angle_deg: float = 0.0) -> float:
        """By how much a target at that angle to the line of sight shifts the frequency: 2 v cos a f0 / c (G01, G02)."""
        return 2 * speed_mps * math.cos(math.radians(angle_deg)) / self.wavelength_m

    def beat_hz(self, range_m: float) -> float:
        """The frequency at which a target at rest is heard: 2 R B / (c T) (G05)."""
        return 2 * range_m * self.bandwidth_mhz * 1e6 / (LIGHT_MPS * self.sweep_us * 1e-6)


def rain_db(range_m: float, mm_h: float = HEAVY_MM_H) -> float:
    """What rain takes there and back at 24 GHz: k R^alpha a kilometre (G21)."""
    return float(2 * range_m / 1000 * RAIN_K * mm_h**RAIN_ALPHA)
