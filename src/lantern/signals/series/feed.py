"""Readings as a probe, a meter or a gateway sends them: one message a moment (`wire.py`), posted or over a WebSocket."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass, field
from typing import Any

from lantern.core.signals import Series
from lantern.core.watch import Sample
from lantern.signals.feed import BYTES_A_MOMENT, BYTES_A_THING, Feed
from lantern.signals.series.wire import LARGEST_MESSAGE, SentReadings, unpack_readings

KEPT_NUMBERS = 2000  # of messages, by which one that comes again is told


@dataclass(frozen=True, slots=True)
class Moment:
    """What was measured at one moment, in the units of the program."""

    sent: SentReadings
    columns: dict[str, Series]

    @property
    def t(self) -> float:
        return self.sent.t

    @property
    def size(self) -> int:
        return BYTES_A_MOMENT + BYTES_A_THING * len(self.columns)

    @property
    def number(self) -> int:
        return self.sent.seq

    def sample(self) -> Sample[dict[str, Series]]:
        return Sample("series", self.sent.t, self.columns)

    def late(self, *, follows: bool) -> None:
        return None

    def words(self) -> str:
        return ", ".join(f"{name} {series.x[0]:.4g} {series.unit}".rstrip() for name, series in self.columns.items())


@dataclass
class ReadingsFeed(Feed[Moment]):
    """The feed of a device that sends readings. A message that comes again is told by its number and its time."""

    ways = ("http", "ws")
    largest = LARGEST_MESSAGE

    seq: int = -1
    again: int = 0
    last: Moment | None = None
    known: deque[tuple[int, float]] = field(default_factory=lambda: deque(maxlen=KEPT_NUMBERS))
    interval_s: float = field(default=1.0, kw_only=True)

    def read(self, message: bytes) -> Moment:
        sent = unpack_readings(message)
        return Moment(sent, sent.columns())

    def is_again(self, frame: Moment) -> bool:
        if (frame.sent.seq, frame.t) in self.known:
            self.again += 1
            return True
        return False

    def taken(self, frame: Moment) -> None:
        self.known.append((frame.sent.seq, frame.t))

    def jump_s(self, frame: Moment) -> float | None:
        """A device that starts anew counts from 0 or 1; if its clock went back, what is remembered goes along."""
        anew = self.t is not None and frame.sent.seq <= min(1, self.seq - 1) and frame.t < self.t
        return frame.t - self.t if self.t is not None and anew else None

    def keep(self, frame: Moment) -> None:
        self.seq, self.last = frame.sent.seq, frame

    def as_dict(self) -> dict[str, Any]:
        columns = self.last.columns if self.last is not None else {}
        return super().as_dict() | {
            "seq": self.received,
            "again": self.again,
            "clock_s": self.clock_s,
            "columns": [[name, float(series.x[0]), series.unit] for name, series in columns.items()],
        }
