"""What a device's own units are in degrees: scale, zero, and which way is up, fitted to places that it was driven onto."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.signals import Floats

FEWEST = 3  # for two numbers of each axis, and something that checks them
SPREAD_UNITS = 0.05  # of a space of 2, that a fit must span on each axis
WORST_DEG = 1.0  # in the mean; common practice, no source
SCALES_DEG = np.concatenate([sign * np.arange(20.0, 400.5, 0.5) for sign in (1.0, -1.0)])  # of one unit, that are tried


class Sighted(NamedTuple):
    """Where it looked in its own units when it looked to a direction of the site that somebody knows."""

    pan: float
    tilt: float
    pan_deg: float
    tilt_deg: float


@dataclass(frozen=True)
class Units:
    """pan_deg = pan_scale_deg * pan + pan_zero_deg, modulo 360; the same of tilt, which the site tells downwards. `rms_deg` of the fit."""

    pan_scale_deg: float
    pan_zero_deg: float
    tilt_scale_deg: float
    tilt_zero_deg: float
    rms_deg: float
    warnings: tuple[str, ...] = ()

    @property
    def hangs(self) -> bool:
        """Return whether its own up is the site's down, and its own clockwise the other way: it hangs from a ceiling, unturned."""
        return self.pan_scale_deg < 0 and self.tilt_scale_deg > 0

    def degrees(self, pan: float, tilt: float) -> tuple[float, float]:
        """Return the direction of the site."""
        return (self.pan_scale_deg * pan + self.pan_zero_deg) % 360, self.tilt_scale_deg * tilt + self.tilt_zero_deg

    def own(self, pan_deg: float, tilt_deg: float) -> tuple[float, float]:
        """Return its own units for a direction; of pans a turn apart that one nearest to its zero."""
        turn = (pan_deg - self.pan_zero_deg + 180) % 360 - 180
        return turn / self.pan_scale_deg, (tilt_deg - self.tilt_zero_deg) / self.tilt_scale_deg


def fit_units(sighted: Sequence[Sighted]) -> Units:
    """Return the units that fit best. Raises `Refused` for too few places, or all at about one pan or one tilt."""
    faults = FaultList()
    if len(sighted) < FEWEST:
        faults.add("places", f"{len(sighted)} of them", f"at least {FEWEST}, spread out in pan and in tilt")
    table = np.array(sighted, dtype=np.float64).reshape(-1, 4)
    for at, axis in ((0, "pan"), (1, "tilt")):
        if len(table) and np.ptp(table[:, at]) < SPREAD_UNITS:
            what = f"all lie within {np.ptp(table[:, at]):.3f} of its own {axis}"
            faults.add("places", what, f"places that lie {SPREAD_UNITS:g} apart at least")
    faults.refuse_if_any()
    scale, zero = _pan(table[:, 0], table[:, 2])
    tilt_scale, tilt_zero = np.polyfit(table[:, 1], table[:, 3], 1)
    off = np.column_stack(
        (_wrapped(scale * table[:, 0] + zero - table[:, 2]), tilt_scale * table[:, 1] + tilt_zero - table[:, 3])
    )
    rms = float(np.sqrt((off**2).sum(axis=1).mean()))
    if abs(tilt_scale) < 1.0:
        raise Refused([Fault("places", "tilt hardly changes with its own units", "places above and below each other")])
    said = () if rms <= WORST_DEG else (f"Places miss by {rms:.1f}° in the mean: was it driven onto each of them?",)
    return Units(scale, zero % 360, float(tilt_scale), float(tilt_zero), rms, said)


def _pan(own: Floats, pan_deg: Floats) -> tuple[float, float]:
    """Scale and zero of pan: directions go round, so scales are tried before the best is refined."""
    turns = np.exp(1j * np.radians(pan_deg[None, :] - SCALES_DEG[:, None] * own[None, :]))
    best = int(np.abs(turns.mean(axis=1)).argmax())
    scale, zero = float(SCALES_DEG[best]), float(np.degrees(np.angle(turns[best].mean())))
    for _ in range(3):
        left = _wrapped(pan_deg - scale * own - zero)
        more, shift = np.polyfit(own, left, 1)
        scale, zero = scale + float(more), zero + float(shift)
    return scale, zero


def _wrapped(degrees: Floats) -> Floats:
    out: Floats = (degrees + 180) % 360 - 180
    return out
