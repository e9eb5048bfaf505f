"""Thermal pictures as a camera sends them, one message a picture (`wire.py`)."""

from __future__ import annotations

import zlib
from dataclasses import dataclass
from typing import Any

from lantern.core.signals import Frames
from lantern.core.watch import Sample
from lantern.signals.feed import Feed
from lantern.signals.heat.wire import FrameHeader, unpack_frame


@dataclass(frozen=True, slots=True)
class Picture:
    """A frame of a thermal camera: pixels (height, width), raw."""

    header: FrameHeader
    pixels: Any

    @property
    def t(self) -> float:
        return self.header.t

    @property
    def size(self) -> int:
        return int(self.pixels.nbytes)

    @property
    def number(self) -> int:
        return self.header.seq

    def sample(self) -> Sample[Frames]:
        return Sample("heat", self.header.t, self.header.frames(self.pixels))

    def late(self, *, follows: bool) -> None:
        return None

    def words(self) -> str:
        return f"a picture of {self.header.width} x {self.header.height}"


@dataclass
class FrameFeed(Feed[Picture]):
    """The feed of a thermal camera, which sends pictures."""

    ways = ("ws",)

    header: FrameHeader | None = None
    pixels: Any = None

    def read(self, message: bytes) -> Picture:
        return Picture(*unpack_frame(message))

    def jump_s(self, frame: Picture) -> float | None:
        last = self.header
        anew = last is not None and frame.t <= last.t and frame.header.seq < last.seq
        return frame.t - last.t if last is not None and anew else None

    def restart(self) -> None:
        super().restart()
        self.header = None

    def keep(self, frame: Picture) -> None:
        self.header, self.pixels = frame.header, frame.pixels

    def picture(self) -> bytes | None:
        return None if self.header is None else zlib.compress(self.pixels.tobytes(), 1)

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
            "clock_s": self.clock_s,
        }
