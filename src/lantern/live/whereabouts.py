"""Where those are on the plan whom devices see just now, by the name that each device gives them."""

from __future__ import annotations

import time
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

import numpy as np

from lantern.core.company import Stands
from lantern.core.faults import Refused
from lantern.core.optics.feet import view_of
from lantern.core.watch import AnySample
from lantern.register.tables import DeviceRow, pixels_of
from lantern.signals.register import signal_of

FRESH_S = 2.0  # somebody who was not seen for so long is not there
Place = tuple[float, float]


@dataclass
class Whereabouts:
    """What each device gave last. Written by the engine's loop, read by its threads: each entry is put in whole."""

    _stands: Mapping[int, Stands] = field(default_factory=dict)
    _last: dict[int, tuple[float, AnySample]] = field(default_factory=dict)

    def adopt(self, devices: Iterable[DeviceRow]) -> None:
        """Take over where devices stand."""
        self._stands = {row.id: Stands(row.extras.get("mount"), pixels_of(row)) for row in devices}

    def take(self, device_id: int, sample: AnySample) -> None:
        self._last[device_id] = time.monotonic(), sample

    def of(self, device_id: int, name: str) -> Place | None:
        """Return where somebody is whom a device sees; None: it does not, or nobody can know where."""
        at, sample = self._last.get(device_id, (-np.inf, None))
        stands = self._stands.get(device_id)
        if sample is None or stands is None or time.monotonic() - at > FRESH_S:
            return None
        return signal_of(sample.signal).whereabouts(sample.value, stands).get(name)

    def beneath(self, device_id: int, pixel: Place) -> Place | None:
        """Return the place of the ground that a pixel of a device's picture shows; None: it has no such picture, or no ground there."""
        try:
            view = view_of(self._stands.get(device_id) or Stands(None), None)
        except Refused:
            return None
        x, y = view.ground(np.array(pixel)).tolist()
        return (x, y) if np.isfinite((x, y)).all() else None
