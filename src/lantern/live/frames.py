"""What came over the wire, once it is read: a picture, all objects of a moment, all reads of one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Protocol

from lantern.core.tracks import Seen
from lantern.core.watch import Sample
from lantern.formats.read_wire import SentReads
from lantern.formats.wire import FrameHeader

LATE_S = 5.0  # a read that comes later opens nothing: whoever stood there may have gone
A_MOMENT, A_THING = 200, 400  # bytes in memory, about


class Frame(Protocol):
    """What came over the wire, at `t` of the device's clock."""

    @property
    def t(self) -> float: ...

    @property
    def size(self) -> int:
        """About so many bytes in memory."""

    def sample(self) -> Sample:
        """Return it as the detectors take it."""

    def late(self, *, follows: bool) -> dict[str, Any] | None:
        """Return what must be kept of it as it opens nothing any more; None: it came in time. `follows`: the last one."""


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

    def sample(self) -> Sample:
        return Sample("heat", self.header.t, self.header.frames(self.pixels))

    def late(self, *, follows: bool) -> None:
        return None


@dataclass(frozen=True, slots=True)
class Scene:
    """All objects that a device saw at one moment."""

    t: float
    seen: Sequence[Seen]

    @property
    def size(self) -> int:
        return A_MOMENT + A_THING * len(self.seen)

    def sample(self) -> Sample:
        return Sample("tracks", self.t, self.seen)

    def late(self, *, follows: bool) -> None:
        return None


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
        return A_MOMENT + A_THING * len(self.sent.reads)

    def sample(self) -> Sample:
        late = self.late_s > LATE_S
        return Sample("plates", self.t, [read.read(late=late) for read in self.sent.reads])

    def late(self, *, follows: bool) -> dict[str, Any] | None:
        if not self.sent.reads or (follows and self.late_s <= LATE_S):
            return None
        return {"reads": [read.model_dump(mode="json", exclude={"crop"}) for read in self.sent.reads]}
