"""Sweeps as a sounder sends them: JSON over HTTP, `{"seq", "t", "range_m", "echoes": [[range, bearing, strength], ...]}`."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from lantern.core.echoes.sweeps import Echo
from pydantic import BaseModel

from lantern.core.watch import Sample
from lantern.formats.documents import read_json, read_model
from lantern.signals.feed import BYTES_A_MOMENT, BYTES_A_THING, Feed


class Sent(BaseModel):
    seq: int
    t: float
    range_m: float
    echoes: list[tuple[float, float, float]]


@dataclass(frozen=True, slots=True)
class Sweep:
    sent: Sent

    @property
    def t(self) -> float:
        return self.sent.t

    @property
    def size(self) -> int:
        return BYTES_A_MOMENT + BYTES_A_THING * len(self.sent.echoes)

    @property
    def number(self) -> int:
        return self.sent.seq

    def sample(self) -> Sample:
        return Sample("echoes", self.t, [Echo(*each) for each in self.sent.echoes])

    def late(self, *, follows: bool) -> None:
        return None

    def words(self) -> str:
        return f"a sweep with {len(self.sent.echoes)} echoes"


@dataclass
class SweepFeed(Feed[Sweep]):
    ways = ("http",)

    last: Sent | None = field(default=None, kw_only=True)

    def read(self, message: bytes) -> Sweep:
        return Sweep(read_model(Sent, read_json(message, where="sweep"), where="sweep"))

    def jump_s(self, frame: Sweep) -> float | None:
        anew = self.last is not None and self.t is not None and frame.sent.seq < self.last.seq and frame.t < self.t
        return frame.t - self.t if anew and self.t is not None else None

    def keep(self, frame: Sweep) -> None:
        self.last = frame.sent

    def as_dict(self) -> dict[str, Any]:
        if self.last is None:
            return super().as_dict()
        points = [[*Echo(*each).place, f"{each[2]:g} dB"] for each in self.last.echoes]
        told = {"seq": self.last.seq, "rangeM": self.last.range_m, "points": points, "clock_s": self.clock_s}
        return super().as_dict() | told
