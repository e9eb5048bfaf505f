"""A device that posts its messages, each under a number, and sends again what was not answered: what such feeds have in common."""

from __future__ import annotations

import time
from collections.abc import Sized
from dataclasses import dataclass, field
from typing import Any, ClassVar, Generic, Protocol, TypeVar

from lantern.signals.feed import Feed, Frame, Way

LATE_S = 5.0  # what comes later raises nothing: whoever stood there may have gone
KEPT_NUMBERS = 2000  # of messages, by which one that comes again is told
F = TypeVar("F", bound=Frame)


class Sent(Protocol):
    """A message as it was sent."""

    @property
    def t(self) -> float: ...

    @property
    def seq(self) -> int: ...


S = TypeVar("S", bound=Sent)


@dataclass(frozen=True, slots=True)
class PostedMoment(Generic[S]):
    """All that a device said of one moment. `late_s`: how long after it was taken it came."""

    sent: S
    late_s: float

    @property
    def t(self) -> float:
        return self.sent.t

    @property
    def number(self) -> int:
        return self.sent.seq

    @property
    def too_late(self) -> bool:
        return self.late_s > LATE_S

    def opens_nothing(self, things: Sized, *, follows: bool) -> bool:
        """Return whether what it holds must be kept as it came too late to raise anything."""
        return bool(len(things)) and (self.too_late or not follows)


@dataclass
class PostedFeed(Feed[F]):
    """A message that comes again is told by its number and its time: a device that started anew counts from the beginning."""

    ways: ClassVar[tuple[Way, ...]] = ("http",)

    seq: int = -1
    late: int = 0
    again: int = 0
    known: dict[tuple[int | None, float], None] = field(default_factory=dict)  # in the order in which they came
    interval_s: float = field(default=1.0, kw_only=True)

    def is_again(self, frame: F) -> bool:
        if (frame.number, frame.t) in self.known:
            self.again += 1
            return True
        return False

    def taken(self, frame: F) -> None:
        """If it comes again it is known."""
        self.known[frame.number, frame.t] = None
        if len(self.known) > KEPT_NUMBERS:
            del self.known[next(iter(self.known))]

    def jump_s(self, frame: F) -> float | None:
        """A device that starts anew counts from 0 or 1; if its clock went back, what is remembered goes along. Any other number
        before the last is of a message that took longer on its way.
        """
        anew = self.t is not None and (frame.number or 0) <= min(1, self.seq - 1) and frame.t < self.t
        return frame.t - self.t if self.t is not None and anew else None

    def keep(self, frame: F) -> None:
        self.seq = frame.number or 0

    def kept_late(self) -> None:
        self.late += 1

    def as_dict(self) -> dict[str, Any]:
        width, height = self.frame_px
        return super().as_dict() | {
            "seq": self.received,
            "width": width,
            "height": height,
            "again": self.again,
            "late": self.late,
            "clock_s": self.clock_s,
        }


def late_by(t: float) -> float:
    """Return how long after it was taken a message came, s."""
    return time.time() - t
