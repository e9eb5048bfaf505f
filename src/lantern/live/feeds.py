"""What is known of one device that gives samples: its last frame, its pace, and how its clock stands."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import KW_ONLY, dataclass, field
from typing import Any

import structlog

from lantern.core.tracks import Seen
from lantern.formats.read_wire import SentReads
from lantern.formats.wire import FrameHeader
from lantern.live.frames import Frame, Moment, Picture, Scene

log = structlog.get_logger()
KEPT_READINGS = 1200
KEPT_NUMBERS = 2000  # of messages, by which one that comes again is told
LOG_UNREADABLE_S = 10.0  # a device that sends nothing else must not fill the disk with it


@dataclass
class Feed:
    """`t`: the device's own time of its last frame; `last_at`: the engine's. `error`: why it does not go on, if it does not."""

    code: str
    device_id: int
    _: KW_ONLY
    site_id: int = 0
    error: str = ""
    unreadable: int = 0
    unreadable_why: str = ""
    t: float | None = None
    received: int = 0
    dropped: int = 0
    last_at: float = 0.0
    interval_s: float = 0.25
    waits_ms: deque[float] = field(default_factory=lambda: deque(maxlen=KEPT_READINGS))
    _logged: float = -LOG_UNREADABLE_S

    def jump_s(self, frame: Any) -> float | None:
        """How far the device's clock jumped before this frame, for it started anew; None: it did not."""
        raise NotImplementedError

    def restart(self) -> None:
        """The device started anew: its clock may stand anywhere."""
        self.t = None

    def keep(self, frame: Any) -> None:
        """Keep what pages show of the last frame."""
        raise NotImplementedError

    def kept_late(self) -> None:
        """One more came too late to count, and was kept."""

    def accept(self, frame: Frame) -> bool:
        """Take over a frame if it follows the last; if not it is dropped and counted."""
        if not self._follows(frame.t):
            return False
        self.keep(frame)
        return True

    def _follows(self, t: float) -> bool:
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

    def cannot_read(self, why: str) -> None:
        """A frame that cannot be read is dropped and counted, and the last reason is shown."""
        self.unreadable += 1
        self.unreadable_why = why.split("\n", 1)[0][:200]
        if time.monotonic() - self._logged > LOG_UNREADABLE_S:
            self._logged = time.monotonic()
            log.warning("frame dropped", device=self.code, count=self.unreadable, error=self.unreadable_why)

    @property
    def live(self) -> bool:
        return time.time() - self.last_at < max(3.0, 4 * self.interval_s)

    def as_dict(self) -> dict[str, Any]:
        return {
            "code": self.code,
            "error": self.error,
            "unreadable": self.unreadable,
            "unreadable_why": self.unreadable_why,
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

    def jump_s(self, frame: Picture) -> float | None:
        last = self.header
        anew = last is not None and frame.t <= last.t and frame.header.seq < last.seq
        return frame.t - last.t if last is not None and anew else None

    def restart(self) -> None:
        super().restart()
        self.header = None

    def keep(self, frame: Picture) -> None:
        self.header, self.pixels = frame.header, frame.pixels

    def as_dict(self) -> dict[str, Any]:
        if self.header is None:
            return super().as_dict() | {"live": False}
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


@dataclass
class ReadFeed(Feed):
    """Of a plate reader, which sends what it reads. A message that comes again is told by its number."""

    frame_px: tuple[int, int]
    seq: int = -1
    late: int = 0
    again: int = 0
    last: SentReads | None = None
    known: deque[tuple[int, float]] = field(default_factory=lambda: deque(maxlen=KEPT_NUMBERS))
    interval_s: float = field(default=1.0, kw_only=True)

    def is_again(self, sent: SentReads) -> bool:
        """Was this message taken before? By its number and its time: a reader that started anew counts from the beginning."""
        if (sent.seq, sent.t) in self.known:
            self.again += 1
            return True
        return False

    def taken(self, sent: SentReads) -> None:
        """What it caused is stored: if it comes again it is known."""
        self.known.append((sent.seq, sent.t))

    def jump_s(self, frame: Moment) -> float | None:
        """A reader that starts anew counts from 0 or 1; if its clock went back, what is remembered goes along. Any other number
        before the last is of a message that took longer on its way.
        """
        anew = self.t is not None and frame.sent.seq <= min(1, self.seq - 1) and frame.t < self.t
        return frame.t - self.t if self.t is not None and anew else None

    def keep(self, frame: Moment) -> None:
        self.seq = frame.sent.seq
        if frame.sent.reads:
            self.last = frame.sent

    def kept_late(self) -> None:
        self.late += 1

    def as_dict(self) -> dict[str, Any]:
        width, height = self.frame_px
        reads = self.last.reads if self.last is not None else ()
        return super().as_dict() | {
            "seq": self.received,
            "width": width,
            "height": height,
            "again": self.again,
            "late": self.late,
            "clock_s": None if self.t is None else round(self.t - self.last_at, 2),
            "reads": [
                {"vehicle": r.vehicle, "text": r.text, "plate": r.box, "car": r.vehicle_box, "crop": r.crop}
                for r in reads
            ],
        }


Make = Callable[[str, int, tuple[int, int], int], Feed]  # (code, device, its picture in px, site)
FEEDS: dict[str, Make] = {
    **dict.fromkeys(("heat", "series"), lambda code, device, px, site: FrameFeed(code, device, site_id=site)),
    **dict.fromkeys(
        ("tracks", "plan-tracks"), lambda code, device, px, site: ObjectFeed(code, device, px, site_id=site)
    ),
    "plates": lambda code, device, px, site: ReadFeed(code, device, px, site_id=site),
}


def feed_of(signal: str, code: str, device_id: int, *, frame_px: tuple[int, int], site_id: int) -> Feed:
    """Return the feed of a device that gives this signal, at its beginning."""
    return FEEDS[signal](code, device_id, frame_px, site_id)
