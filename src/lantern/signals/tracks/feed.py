"""Objects as a device tells them when it is asked: a stream of ONVIF metadata, one document a moment."""

from __future__ import annotations

from collections import Counter
from collections.abc import AsyncGenerator, Sequence
from dataclasses import dataclass, field
from typing import Any

from lantern.core.tracks import Seen
from lantern.core.watch import Sample
from lantern.devices.metadata import metadata
from lantern.signals.feed import BYTES_A_MOMENT, BYTES_A_THING, Feed
from lantern.signals.tracks.onvif import read_frame


@dataclass(frozen=True, slots=True)
class Scene:
    """All objects that a device saw at one moment."""

    t: float
    seen: Sequence[Seen]

    @property
    def size(self) -> int:
        return BYTES_A_MOMENT + BYTES_A_THING * len(self.seen)

    @property
    def number(self) -> None:
        return None

    def sample(self) -> Sample[Sequence[Seen]]:
        return Sample("tracks", self.t, self.seen)

    def late(self, *, follows: bool) -> None:
        return None

    def words(self) -> str:
        classes = Counter(each.label or "of no class" for each in self.seen)
        return ", ".join(f"{count} {name}" for name, count in sorted(classes.items())) or "nobody in it"


@dataclass
class ObjectFeed(Feed[Scene]):
    """The feed of a device that tells objects: `frame_px` is its picture, in whose pixels boxes are."""

    seen: Sequence[Seen] = ()
    interval_s: float = field(default=0.1, kw_only=True)

    def read(self, message: bytes) -> Scene:
        width, height = self.frame_px
        return Scene(*read_frame(message, where=self.where, width=width, height=height))

    def bodies(self, url: str) -> AsyncGenerator[bytes]:
        return metadata(url)

    def jump_s(self, frame: Scene) -> float | None:
        anew = self.t is not None and frame.t < self.t - self.interval_s
        return frame.t - self.t if self.t is not None and anew else None

    def keep(self, frame: Scene) -> None:
        self.seen = frame.seen

    def as_dict(self) -> dict[str, Any]:
        width, height = self.frame_px
        return super().as_dict() | {
            "seq": self.received,
            "width": width,
            "height": height,
            "objects": [[str(s.id), *(round(v, 1) for v in s.box), s.label] for s in self.seen],
        }
