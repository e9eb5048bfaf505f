"""A face camera at a door that posts whom it sees, with how alike they are to those it holds."""

from __future__ import annotations

from dataclasses import KW_ONLY, dataclass, field

import numpy as np

from lantern.core.faces.looks import Looks
from lantern.signals.faces.wire import SentLook, SentLooks
from lantern.standins.poster import PosterStandIn


@dataclass
class DoorStandIn(PosterStandIn):
    """It plays `looks`."""

    _: KW_ONLY
    looks: Looks
    rows: dict[int, list[int]] = field(init=False)

    def __post_init__(self) -> None:
        self.fps = 4.0
        self.count = round((self.looks.length_s + 5) * self.fps)
        frames = np.floor(self.looks.t_s * self.fps).astype(int)
        self.rows = {int(frame): np.flatnonzero(frames == frame).tolist() for frame in np.unique(frames)}

    def message(self, frame: int) -> SentLooks | None:
        rows = self.rows.get(frame, [])
        if not rows and frame % round(self.fps):
            return None  # nothing to say: once a second it says that it works
        return SentLooks(seq=self.sent, t=self.time_s(), looks=tuple(self._sent(row) for row in rows))

    def _sent(self, at: int) -> SentLook:
        """Who somebody is the camera does not know: of the take's columns it tells what it sees."""
        rows = range(int(self.looks.first[at]), int(self.looks.first[at + 1]))
        return SentLook(
            probe=f"{self.looks.probe[at]}.{self._round}",
            candidates=tuple((self.looks.candidate.at(row), float(self.looks.score[row])) for row in rows),
            groups={name: word for name, word in self.looks.group_of(at).items() if name != "subject"},
        )
