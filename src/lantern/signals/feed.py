"""What is known of one device that gives samples: how its messages are read, its last one, its pace, how its clock stands.

A signal that comes live derives its own (`signals/NAME/feed.py`); the engine knows only this.
"""

from __future__ import annotations

import time
from collections import deque
from collections.abc import AsyncGenerator, Mapping
from dataclasses import KW_ONLY, dataclass, field
from typing import Any, ClassVar, Generic, Literal, Protocol, TypeVar

import structlog

from lantern.core.faults import Fault, Refused
from lantern.core.watch import AnySample

log = structlog.get_logger()
KEPT_WAITS = 1200
LOG_UNREADABLE_S = 10.0  # a device that sends nothing else must not fill the disk with it
BYTES_A_MOMENT, BYTES_A_THING = 200, 400  # in memory, about
Way = Literal["ws", "http"]


class Frame(Protocol):
    """A message as it came over the wire, at `t` of the device's clock."""

    @property
    def t(self) -> float: ...

    @property
    def size(self) -> int:
        """About so many bytes in memory."""

    @property
    def number(self) -> int | None:
        """Return the message's number, where the device counts them."""

    def sample(self) -> AnySample:
        """Return it as the detectors take it."""

    def late(self, *, follows: bool) -> dict[str, Any] | None:
        """Return what must be kept of it as it opens nothing any more; None: it came in time. `follows`: the last one."""

    def words(self) -> str:
        """Return what is in it, for somebody who tries the device."""


F = TypeVar("F", bound=Frame)


@dataclass
class Feed(Generic[F]):
    """`t`: the device's own time of its last frame; `last_at`: the engine's. `error`: why it does not go on, if it does not.

    `frame_px`: of the device's picture, if it has one; `where`: the address that it is asked at, if it is asked.
    """

    ways: ClassVar[tuple[Way, ...]] = ()  # how messages come from a device that sends; none: it is asked
    largest: ClassVar[int] = 1 << 20  # bytes of a message over HTTP

    code: str
    device_id: int
    _: KW_ONLY
    site_id: int = 0
    frame_px: tuple[int, int] = (0, 0)
    where: str = ""
    error: str = ""
    unreadable: int = 0
    unreadable_why: str = ""
    words: str = ""  # what the last frame held
    t: float | None = None
    received: int = 0
    dropped: int = 0
    pictures_lost: int = 0
    last_at: float = 0.0
    interval_s: float = 0.25
    waits_ms: deque[float] = field(default_factory=lambda: deque(maxlen=KEPT_WAITS))
    _logged: float = -LOG_UNREADABLE_S

    # ---- what a signal says of its own ----

    def read(self, message: bytes) -> F:
        """Return a message as a frame. Raises `Refused`."""
        raise NotImplementedError

    def bodies(self, url: str) -> AsyncGenerator[bytes]:
        """Ask a device for its messages. Raises `LanternError` where it does not answer."""
        raise Refused([Fault("device", "is asked for nothing", "a device that sends by itself")])

    def jump_s(self, frame: F) -> float | None:
        """Return how far the device's clock jumped before this frame, for it started anew; None: it did not."""
        raise NotImplementedError

    def keep(self, frame: F) -> None:
        """Keep what pages show of the last frame."""
        raise NotImplementedError

    def is_again(self, frame: F) -> bool:
        """Return whether this message was taken before."""
        return False

    def taken(self, frame: F) -> None:
        """Note that what the message caused is stored."""

    def kept_late(self) -> None:
        """One more came too late to count, and was kept."""

    def picture(self) -> bytes | None:
        """The pixels of the last frame, for a page; None: it has none."""
        return None

    def pictures(self, frame: F) -> Mapping[str, bytes]:
        """Return the pictures of people that came with a frame, by the name of the look that each is of."""
        return {}

    # ---- what all have ----

    def restart(self) -> None:
        """The device started anew: its clock may stand anywhere."""
        self.t = None

    def accept(self, frame: F) -> bool:
        """Take over a frame if it follows the last; if not it is dropped and counted."""
        if not self._follows(frame.t):
            return False
        self.keep(frame)
        self.words = frame.words()
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

    @property
    def clock_s(self) -> float | None:
        """Return how far the device's clock is ahead of ours; None: nothing came yet."""
        return None if self.t is None else round(self.t - self.last_at, 2)

    def as_dict(self) -> dict[str, Any]:
        """Return it as the pages have it."""
        return {
            "code": self.code,
            "error": self.error,
            "unreadable": self.unreadable,
            "unreadable_why": self.unreadable_why,
            "live": self.live,
            "words": self.words,
            "received": self.received,
            "dropped": self.dropped,
            "pictures_lost": self.pictures_lost,
            "t": self.t,
            "fps": round(1 / self.interval_s, 2),
        }
