"""Probes as a gate sends them: JSON over HTTP, `{"seq", "t", "came": [[probe, nearest, score], ...]}`."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from lantern.core.likenesses.probes import Likeness
from pydantic import BaseModel

from lantern.core.watch import Sample
from lantern.formats.documents import read_json, read_model
from lantern.signals.feed import BYTES_A_MOMENT, BYTES_A_THING, Feed


class Sent(BaseModel):
    seq: int
    t: float
    came: list[tuple[str, str, float]]


@dataclass(frozen=True, slots=True)
class Moment:
    sent: Sent

    @property
    def t(self) -> float:
        return self.sent.t

    @property
    def size(self) -> int:
        return BYTES_A_MOMENT + BYTES_A_THING * len(self.sent.came)

    @property
    def number(self) -> int:
        return self.sent.seq

    def sample(self) -> Sample:
        return Sample("likenesses", self.t, [Likeness(*each) for each in self.sent.came])

    def late(self, *, follows: bool) -> None:
        return None

    def words(self) -> str:
        return f"{len(self.sent.came)} came"


@dataclass
class ProbeFeed(Feed[Moment]):
    ways = ("http",)

    seq: int = field(default=-1, kw_only=True)

    def read(self, message: bytes) -> Moment:
        return Moment(read_model(Sent, read_json(message, where="probes"), where="probes"))

    def jump_s(self, frame: Moment) -> float | None:
        return frame.t - self.t if self.t is not None and frame.sent.seq < self.seq and frame.t < self.t else None

    def keep(self, frame: Moment) -> None:
        self.seq = frame.sent.seq

    def as_dict(self) -> dict[str, Any]:
        return super().as_dict() | {"seq": self.seq, "clock_s": self.clock_s}
