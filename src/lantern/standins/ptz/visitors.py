"""Those whom a camera stand-in plays, where they stand on the plan: a head that looks the same way sees them too."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lantern.core.optics.feet import feet
from lantern.core.optics.mount import View
from lantern.standins.ptz.yard import Standing
from lantern.standins.tracker import TrackerStandIn

# by class: width and height in m, colour
LOOKS = {
    "person": ((0.6, 1.75), (66, 58, 84)),
    "vehicle": ((2.0, 2.2), (150, 118, 52)),
    "animal": ((0.9, 0.45), (150, 84, 44)),
}


def visitors(tracker: TrackerStandIn, view: View) -> Iterator[Standing]:
    """Yield everybody of known class whom the tracker shows now; nobody before its take is loaded."""
    if not hasattr(tracker, "tracks"):
        return
    seen = [each for each in tracker.seen(int(tracker.at_s * tracker.fps) % tracker.count) if each.label in LOOKS]
    if not seen:
        return
    places = view.ground(feet(np.array([each.box for each in seen], dtype=np.float64)))[:, :2]
    for each, (x, y) in zip(seen, places.tolist(), strict=True):
        if np.isfinite(x) and np.isfinite(y):
            size, colour = LOOKS[each.label]
            yield (x, y), size, colour
