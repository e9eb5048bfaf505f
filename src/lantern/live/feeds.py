"""What is known of one device that sends: its last frame, its pace, and how its clock stands."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from lantern.core.objects.following import Seen
from lantern.formats.wire import FrameHeader

KEPT_READINGS = 1200


@dataclass
class Feed:
    """What is known of one camera: its last frame, its pace, and how its clock stands."""

    code: str
    device_id: int
    header: FrameHeader | None = None
    pixels: Any = None
    received: int = 0
    dropped: int = 0
    last_at: float = 0.0
    interval_s: float = 0.25
    waits_ms: deque[float] = field(default_factory=lambda: deque(maxlen=KEPT_READINGS))

    def accept(self, header: FrameHeader, pixels: Any) -> bool:
        """Take over a frame; one whose time does not follow the last is dropped and counted."""
        if self.header is not None:
            step_s = header.t - self.header.t
            if step_s <= 0:
                self.dropped += 1
                return False
            if step_s < 10 * self.interval_s + 1:
                self.interval_s += 0.1 * (step_s - self.interval_s)
        self.header, self.pixels = header, pixels
        self.received += 1
        self.last_at = time.time()
        return True

    @property
    def live(self) -> bool:
        return time.time() - self.last_at < max(3.0, 4 * self.interval_s)

    def as_dict(self) -> dict[str, Any]:
        if self.header is None:
            return {"code": self.code, "live": False, "received": 0}
        return {
            "code": self.code,
            "live": self.live,
            "received": self.received,
            "dropped": self.dropped,
            "seq": self.header.seq,
            "t": self.header.t,
            "fps": round(1 / self.interval_s, 2),
            "width": self.header.width,
            "height": self.header.height,
            "scale": self.header.scale,
            "offsetC": self.header.offset_c,
            "dtype": self.header.dtype,
            "clock_s": round(self.header.t - self.last_at, 2),
        }


@dataclass
class ObjectFeed:
    """A device that sends objects: `frame_px` is its picture, in whose pixels boxes are."""

    code: str
    device_id: int
    frame_px: tuple[int, int]
    t: float | None = None
    seen: Sequence[Seen] = ()
    received: int = 0
    dropped: int = 0
    last_at: float = 0.0
    interval_s: float = 0.1
    error: str = ""
    waits_ms: deque[float] = field(default_factory=lambda: deque(maxlen=KEPT_READINGS))

    def accept(self, t: float, seen: Sequence[Seen]) -> bool:
        """Take over a frame; one whose time does not follow the last is dropped and counted."""
        if self.t is not None:
            step_s = t - self.t
            if step_s <= 0:
                self.dropped += 1
                return False
            if step_s < 10 * self.interval_s + 1:
                self.interval_s += 0.1 * (step_s - self.interval_s)
        self.t, self.seen = t, seen
        self.received += 1
        self.last_at = time.time()
        return True

    @property
    def live(self) -> bool:
        return time.time() - self.last_at < max(3.0, 4 * self.interval_s)

    def as_dict(self) -> dict[str, Any]:
        width, height = self.frame_px
        return {
            "code": self.code,
            "live": self.live,
            "received": self.received,
            "dropped": self.dropped,
            "seq": self.received,
            "t": self.t,
            "fps": round(1 / self.interval_s, 2),
            "width": width,
            "height": height,
            "error": self.error,
            "objects": [[str(s.id), *(round(v, 1) for v in s.box), s.label] for s in self.seen],
        }
