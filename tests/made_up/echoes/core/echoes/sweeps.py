"""What a sounder gives: sweeps, each with the echoes that it heard, by distance and bearing from it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely

from lantern.core.events import Region
from lantern.core.signals import Floats, Series

SILENCE_DB = 0.0


@dataclass(frozen=True, slots=True)
class Echo:
    """`bearing_deg` to the right of straight ahead."""

    range_m: float
    bearing_deg: float
    strength_db: float

    @property
    def place(self) -> tuple[float, float]:
        """Metres to the right of the sounder, and ahead of it."""
        at = np.radians(self.bearing_deg)
        return float(self.range_m * np.sin(at)), float(self.range_m * np.cos(at))


@dataclass(frozen=True)
class Sweeps:
    """`t_s` (n,); of each sweep its echoes."""

    t_s: Floats
    echoes: tuple[tuple[Echo, ...], ...]

    def __len__(self) -> int:
        return int(self.t_s.size)


def outline(region: Region) -> shapely.Polygon:
    if region.shape == "box":
        (x0, y0), (x1, y1) = region.points
        return shapely.box(min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1))
    return shapely.Polygon(region.points)


def strongest(echoes: Sequence[Echo], region: Region) -> float:
    """dB of the strongest echo from within a region; silence where none comes from there."""
    within = outline(region)
    heard = [echo.strength_db for echo in echoes if within.covers(shapely.Point(echo.place))]
    return max(heard, default=SILENCE_DB)


def reading(sweeps: Sweeps, region: Region) -> Series:
    return Series(sweeps.t_s, np.array([strongest(each, region) for each in sweeps.echoes]), "dB", region.name)
