"""Reads as a plate reader sends them: one message a moment (`wire.py`), which it sends again until it is answered."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from lantern.core.plates.reads import Read
from lantern.core.watch import Sample
from lantern.signals.feed import BYTES_A_MOMENT, BYTES_A_THING, Feed
from lantern.signals.plates.wire import LARGEST_MESSAGE, SentReads, unpack_reads

LATE_S = 5.0  # a read that comes later opens nothing: whoever stood there may have gone
KEPT_NUMBERS = 2000  # of messages, by which one that comes again is told


@dataclass(frozen=True, slots=True)
class Moment:
    """All that a plate reader read at one moment. `late_s`: how long after it was read it came."""

    sent: SentReads
    late_s: float

    @property
    def t(self) -> float:
        return self.sent.t

    @property
    def size(self) -> int:
        return BYTES_A_MOMENT + BYTES_A_THING * len(self.sent.reads)

    @property
    def number(self) -> int:
        return self.sent.seq

    def sample(self) -> Sample[Sequence[Read]]:
        late = self.late_s > LATE_S
        return Sample("plates", self.t, [read.read(late=late) for read in self.sent.reads])

    def late(self, *, follows: bool) -> dict[str, Any] | None:
        if not self.sent.reads or (follows and self.late_s <= LATE_S):
            return None
        return {"reads": [read.model_dump(mode="json", exclude={"crop"}) for read in self.sent.reads]}

    def words(self) -> str:
        return ", ".join(read.text for read in self.sent.reads) or "no plate in it"


@dataclass
class ReadFeed(Feed[Moment]):
    """The feed of a plate reader, which sends what it reads. A message that comes again is told by its number."""

    ways = ("http",)
    largest = LARGEST_MESSAGE

    seq: int = -1
    late: int = 0
    again: int = 0
    last: SentReads | None = None
    known: deque[tuple[int, float]] = field(default_factory=lambda: deque(maxlen=KEPT_NUMBERS))
    interval_s: float = field(default=1.0, kw_only=True)

    def read(self, message: bytes) -> Moment:
        sent = unpack_reads(message)
        return Moment(sent, time.time() - sent.t)

    def is_again(self, frame: Moment) -> bool:
        """Return whether a message was taken, by its number and its time: a reader that started anew counts from the
        beginning.
        """
        if (frame.sent.seq, frame.t) in self.known:
            self.again += 1
            return True
        return False

    def taken(self, frame: Moment) -> None:
        """If it comes again it is known."""
        self.known.append((frame.sent.seq, frame.t))

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
            "clock_s": self.clock_s,
            "reads": [
                {"vehicle": r.vehicle, "text": r.text, "plate": r.box, "car": r.vehicle_box, "crop": r.crop}
                for r in reads
            ],
        }
