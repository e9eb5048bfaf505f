"""Reads as a plate reader sends them: one message a moment (`wire.py`), which it sends again until it is answered."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from lantern.core.plates.reads import Read
from lantern.core.watch import Sample
from lantern.signals.feed import BYTES_A_MOMENT, BYTES_A_THING
from lantern.signals.plates.wire import LARGEST_MESSAGE, SentReads, unpack_reads
from lantern.signals.posted import PostedFeed, PostedMoment, late_by


class Moment(PostedMoment[SentReads]):
    """All that a plate reader read at one moment."""

    @property
    def size(self) -> int:
        return BYTES_A_MOMENT + BYTES_A_THING * len(self.sent.reads)

    def sample(self) -> Sample[Sequence[Read]]:
        return Sample("plates", self.t, [read.read(late=self.too_late) for read in self.sent.reads])

    def late(self, *, follows: bool) -> dict[str, Any] | None:
        if not self.opens_nothing(self.sent.reads, follows=follows):
            return None
        return {"reads": [read.model_dump(mode="json", exclude={"crop"}) for read in self.sent.reads]}

    def words(self) -> str:
        return ", ".join(read.text for read in self.sent.reads) or "no plate in it"


@dataclass
class ReadFeed(PostedFeed[Moment]):
    """The feed of a plate reader, which sends what it reads."""

    largest = LARGEST_MESSAGE

    last: SentReads | None = None

    def read(self, message: bytes) -> Moment:
        sent = unpack_reads(message)
        return Moment(sent, late_by(sent.t))

    def keep(self, frame: Moment) -> None:
        super().keep(frame)
        if frame.sent.reads:
            self.last = frame.sent

    def as_dict(self) -> dict[str, Any]:
        reads = self.last.reads if self.last is not None else ()
        return super().as_dict() | {
            "reads": [
                {"vehicle": r.vehicle, "text": r.text, "plate": r.box, "car": r.vehicle_box, "crop": r.crop}
                for r in reads
            ],
        }
