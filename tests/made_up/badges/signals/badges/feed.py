"""Fixes as locators send them: JSON over HTTP, `{"seq", "t", "fixes": [[badge, x, y], ...]}`."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from lantern.core.badges.fixes import Fix
from pydantic import BaseModel

from lantern.core.watch import Sample
from lantern.formats.documents import read_json, read_model
from lantern.signals.feed import BYTES_A_MOMENT, BYTES_A_THING, Feed


class Sent(BaseModel):
    seq: int
    t: float
    fixes: list[tuple[str, float, float]]


@dataclass(frozen=True, slots=True)
class Moment:
    sent: Sent

    @property
    def t(self) -> float:
        return self.sent.t

    @property
    def size(self) -> int:
        return BYTES_A_MOMENT + BYTES_A_THING * len(self.sent.fixes)

    @property
    def number(self) -> int:
        return self.sent.seq

    def sample(self) -> Sample:
        return Sample("fixes", self.t, [Fix(*each) for each in self.sent.fixes])

    def late(self, *, follows: bool) -> None:
        return None

    def words(self) -> str:
        return f"{len(self.sent.fixes)} badges"


@dataclass
class FixFeed(Feed[Moment]):
    ways = ("http",)

    last: Sent | None = field(default=None, kw_only=True)

    def read(self, message: bytes) -> Moment:
        return Moment(read_model(Sent, read_json(message, where="fixes"), where="fixes"))

    def jump_s(self, frame: Moment) -> float | None:
        anew = self.last is not None and self.t is not None and frame.sent.seq < self.last.seq and frame.t < self.t
        return frame.t - self.t if anew and self.t is not None else None

    def keep(self, frame: Moment) -> None:
        self.last = frame.sent

    def as_dict(self) -> dict[str, Any]:
        if self.last is None:
            return super().as_dict()
        points = [[x, y, badge] for badge, x, y in self.last.fixes]
        return super().as_dict() | {"seq": self.last.seq, "points": points, "clock_s": self.clock_s}
