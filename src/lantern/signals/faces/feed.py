"""Looks as a face device sends them: one message a moment (`wire.py`), which it sends again until it is answered."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from lantern.core.faces.looks import Look
from lantern.core.watch import Sample
from lantern.core.wording import many
from lantern.signals.faces.wire import LARGEST_MESSAGE, SentLooks, unpack_looks
from lantern.signals.feed import BYTES_A_MOMENT, BYTES_A_THING
from lantern.signals.posted import PostedFeed, PostedMoment, late_by

MOST_SHOWN = 6  # candidates of a look


@dataclass(frozen=True, slots=True)
class Moment(PostedMoment[SentLooks]):
    """All that a face device saw at one moment. `pictures`: by probe, of those that came with one."""

    pictures: Mapping[str, bytes] = field(default_factory=dict)

    @property
    def size(self) -> int:
        return BYTES_A_MOMENT + BYTES_A_THING * sum(len(look.candidates) for look in self.sent.looks)

    def sample(self) -> Sample[Sequence[Look]]:
        return Sample(
            "faces", self.t, [look.look(late=self.too_late, algorithm=self.sent.algorithm) for look in self.sent.looks]
        )

    def late(self, *, follows: bool) -> dict[str, Any] | None:
        if not self.opens_nothing(self.sent.looks, follows=follows):
            return None
        return {"looks": [look.model_dump(mode="json", exclude={"picture"}) for look in self.sent.looks]}

    def words(self) -> str:
        return many(len(self.sent.looks), "look") if self.sent.looks else "nobody in it"


@dataclass
class LookFeed(PostedFeed[Moment]):
    """The feed of a face device, which sends whom it sees."""

    largest = LARGEST_MESSAGE

    last: SentLooks | None = None
    algorithm: str = ""
    pictured: frozenset[str] = frozenset()  # looks of the last moment that came with a picture

    def read(self, message: bytes) -> Moment:
        sent = unpack_looks(message)
        pictures = {look.probe: look.picture_bytes for look in sent.looks}
        plain = sent.model_copy(
            update={"looks": tuple(each.model_copy(update={"picture": None}) for each in sent.looks)}
        )
        return Moment(plain, late_by(sent.t), {probe: data for probe, data in pictures.items() if data is not None})

    def pictures(self, frame: Moment) -> Mapping[str, bytes]:
        return frame.pictures

    def keep(self, frame: Moment) -> None:
        super().keep(frame)
        self.algorithm = frame.sent.algorithm or self.algorithm
        if frame.sent.looks:
            self.last, self.pictured = frame.sent, frozenset(frame.pictures)

    def as_dict(self) -> dict[str, Any]:
        looks = self.last.looks if self.last is not None else ()
        return super().as_dict() | {
            "algorithm": self.algorithm,
            "looks": [
                {
                    "probe": look.probe,
                    "groups": look.groups,
                    "pictured": look.probe in self.pictured,
                    "candidates": sorted(look.candidates, key=lambda each: -each[1])[:MOST_SHOWN],
                }
                for look in looks
            ],
        }
