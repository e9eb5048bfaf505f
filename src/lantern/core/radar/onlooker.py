"""The camera beside a live radar: what it saw in the last moments, on the plan and by the radar's clock."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lantern.core.company import Around
from lantern.core.faults import Refused
from lantern.core.optics.feet import feet, view_of
from lantern.core.optics.mount import View
from lantern.core.radar.beside import Beside, agree
from lantern.core.radar.returns import Return
from lantern.core.radar.sighted import frame_on_plan
from lantern.core.rule import TIME_TOLERANCE_S
from lantern.core.signals import Floats
from lantern.core.tracks import Seen
from lantern.core.watching import Bools

SILENT_S = 3.0  # a camera that gave no frame for so long is away


class Onlooker:
    """`missing`: why nothing is known of it, whatever it sends."""

    def __init__(self, beside: Beside, around: Around) -> None:
        self.beside = beside
        self.last_s = -np.inf
        self.seen: dict[str, tuple[float, Floats]] = {}  # by object: when and where on the plan it was seen last
        self.missing = ""
        self._view: View | None = None
        self._frame = frame_on_plan(around.own)
        stands = around.others.get(beside.device)
        if self._frame is None or stands is None:
            none = f"the site has no device {beside.device}"
            self.missing = none if stands is None else "this radar stands nowhere on the plan"
            return
        try:
            self._view = view_of(stands, None)
        except Refused as refused:
            self.missing = f"{beside.device} {refused.faults[0].what}"

    def take(self, t: float, seen: Sequence[Seen]) -> None:
        """A frame of the camera at `t` of the radar's clock."""
        self.last_s = t
        self.seen = {name: held for name, held in self.seen.items() if t - held[0] <= self.beside.within_s}
        if self._view is None or not seen:
            return
        places = self._view.ground(feet(np.array([each.box for each in seen], dtype=np.float64)))[:, :2]
        for each, place in zip(seen, places, strict=True):
            if np.isfinite(place).all():
                self.seen[str(each.id)] = (t, place)

    def passing(self, t: float, returns: Sequence[Return]) -> Bools:
        """(n,): at which of a scan's returns a raise may come."""
        known = self.knows(t)
        agreed = np.zeros(len(returns), dtype=np.bool_)
        if self._frame is not None and returns:
            x, y = self._frame.onto_plan(*np.array([each.place for each in returns]).T)
            least = t - self.beside.within_s - TIME_TOLERANCE_S
            there = np.array([place for at, place in self.seen.values() if at >= least]).reshape(-1, 2)
            agreed = agree(np.column_stack((x, y)), there, self.beside.gate_m)
        return np.array([self.beside.passes(agreed=bool(each), known=known) for each in agreed], dtype=np.bool_)

    def knows(self, t: float) -> bool:
        return not self.missing and t - self.last_s <= SILENT_S

    def inherit(self, held: Onlooker) -> None:
        if held.beside == self.beside and held.missing == self.missing:
            self.last_s, self.seen = held.last_s, held.seen

    def forget(self) -> None:
        self.last_s, self.seen = -np.inf, {}
