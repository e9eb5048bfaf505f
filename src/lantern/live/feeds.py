"""What is known of one device that sends: its last frame, its pace, and how its clock stands."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Sequence
from dataclasses import KW_ONLY, dataclass, field
from typing import Any

from lantern.core.objects.following import Seen
from lantern.formats.wire import FrameHeader

KEPT_READINGS = 1200


@dataclass
class Feed:
    """`t`: the device's own time of its last frame; `last_at`: the engine's."""

    code: str
    device_id: int
    _: KW_ONLY
    t: float | None = None
    received: int = 0
    dropped: int = 0
    last_at: float = 0.0
    interval_s: float = 0.25
    waits_ms: deque[float] = field(default_factory=lambda: deque(maxlen=KEPT_READINGS))

    def follows(self, t: float) -> bool:
        """Does a frame of this time follow the last one? If so it counts as the last; if not it is dropped and counted."""
        if self.t is not None:
            step_s = t - self.t
            if step_s <= 0:
                self.dropped += 1
                return False
            if step_s < 10 * self.interval_s + 1:  # a longer pause says nothing of its pace
                self.interval_s += 0.1 * (step_s - self.interval_s)
        self.t = t
        self.received += 1
        self.last_at = time.time()
        return True

    @property
    def live(self) -> bool:
        return time.time() - self.last_at < max(3.0, 4 * self.interval_s)

    def as_dict(self) -> dict[str, Any]:
        return {
            "code": self.code,
            "live": self.live,
            "received": self.received,
            "dropped": self.dropped,
            "t": self.t,
            "fps": round(1 / self.interval_s, 2),
        }


@dataclass
class FrameFeed(Feed):
    """Of a thermal camera, which sends pictures."""

    header: FrameHeader | None = None
    pixels: Any = None

    def accept(self, header: FrameHeader, pixels: Any) -> bool:
        """Take over a frame, if it follows the last."""
        if not self.follows(header.t):
            return False
        self.header, self.pixels = header, pixels
        return True

    def restart(self) -> None:
        """The device started anew: its clock may stand anywhere."""
        self.header = self.t = None

    def as_dict(self) -> dict[str, Any]:
        if self.header is None:
            return {"code": self.code, "live": False, "received": 0}
        return super().as_dict() | {
            "seq": self.header.seq,
            "width": self.header.width,
            "height": self.header.height,
            "scale": self.header.scale,
            "offsetC": self.header.offset_c,
            "dtype": self.header.dtype,
            "clock_s": round(self.header.t - self.last_at, 2),
        }


@dataclass
class ObjectFeed(Feed):
    """Of a device that sends objects: `frame_px` is its picture, in whose pixels boxes are."""

    frame_px: tuple[int, int]
    seen: Sequence[Seen] = ()
    interval_s: float = field(default=0.1, kw_only=True)
    error: str = ""

    def accept(self, t: float, seen: Sequence[Seen]) -> bool:
        """Take over a frame, if it follows the last."""
        if not self.follows(t):
            return False
        self.seen = seen
        return True

    def as_dict(self) -> dict[str, Any]:
        width, height = self.frame_px
        return super().as_dict() | {
            "seq": self.received,
            "width": width,
            "height": height,
            "error": self.error,
            "objects": [[str(s.id), *(round(v, 1) for v in s.box), s.label] for s in self.seen],
        }
