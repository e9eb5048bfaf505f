"""A face camera at a door that posts whom it sees, with how alike they are to those in its gallery, and a picture of each."""

from __future__ import annotations

import base64
from dataclasses import KW_ONLY, dataclass, field

import numpy as np

from lantern.signals.faces.wire import SentLook, SentLooks
from lantern.standins.gallery import HeldGallery
from lantern.standins.likeness import drawing
from lantern.standins.poster import PosterStandIn
from lantern.standins.visitors import ALGORITHM, Day


@dataclass
class DoorStandIn(PosterStandIn):
    """It sees who passes on `day`. Who somebody is it does not know: it tells what it sees, and nothing of somebody where its
    gallery is empty.
    """

    _: KW_ONLY
    day: Day
    gallery: HeldGallery
    rows: dict[int, list[int]] = field(init=False)

    def __post_init__(self) -> None:
        self.fps = 4.0
        looks = self.day.looks
        self.count = round((looks.length_s + 5) * self.fps)
        frames = np.floor(looks.t_s * self.fps).astype(int)
        self.rows = {int(frame): np.flatnonzero(frames == frame).tolist() for frame in np.unique(frames)}

    def message(self, frame: int) -> SentLooks | None:
        rows = self.rows.get(frame, []) if self.gallery.members else []
        if not rows and frame % round(self.fps):
            return None  # nothing to say: once a second it says that it works
        return SentLooks(
            seq=self.sent, t=self.time_s(), algorithm=ALGORITHM, looks=tuple(self._sent(row) for row in rows)
        )

    def _sent(self, at: int) -> SentLook:
        groups = {name: word for name, word in self.day.looks.group_of(at).items() if name != "subject"}
        capture = self.day.captures[at]
        return SentLook(
            probe=f"{self.day.looks.probe[at]}.{self._round}",
            candidates=tuple(self.gallery.scores(capture)),
            groups=groups,
            picture=base64.b64encode(picture_of(self.day, at)).decode(),
        )


def picture_of(day: Day, at: int) -> bytes:
    """Return the picture of a look as a PNG."""
    groups = day.looks.group_of(at)
    return drawing(day.captures[at], cap=groups["head"] == "cap", backlit=groups["light"] == "backlight")
