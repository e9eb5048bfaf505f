"""A kind that watches objects on their way: what such a kind must say of itself."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Generic, TypeAlias, TypeVar

from lantern.core.axis import Axis
from lantern.core.dials import DialInfo
from lantern.core.events import Detector, Raised, Shape
from lantern.core.kind import Kind
from lantern.core.objects.dials import ObjectDials
from lantern.core.objects.following import Follower
from lantern.core.objects.kinds import Found
from lantern.core.objects.region import ObjectDetector, ObjectRegion
from lantern.core.objects.verdicts.sighted import ORDER
from lantern.core.tracks import Tracks
from lantern.core.tuning.measures import AnyYardstick
from lantern.core.tuning.raises import RAISES
from lantern.core.units import CELSIUS, Scale, short
from lantern.core.watching import Indices


@dataclass(frozen=True, slots=True)
class Arrows:
    """Which ways across a line raise (1 from A to B, -1 from B to A): by the value of a dial, or always the same."""

    ways: Mapping[str, tuple[int, ...]]
    dial: str = ""

    def as_dict(self) -> dict[str, Any]:
        return {"dial": self.dial, "ways": dict(self.ways)}


ObjectDialsT = TypeVar("ObjectDialsT", bound=ObjectDials)
IN_VIEW = Axis(lane="in view")
ALONG = Arrows({"": (1,)})


SIDES = {"a_to_b": "A to B", "b_to_a": "B to A"}  # of a line, as it is drawn


def _objects(dials: ObjectDials) -> str:
    return "objects"


@dataclass(frozen=True, kw_only=True)
class TrackKind(Kind[ObjectDialsT], Generic[ObjectDialsT]):
    """Decided object by object."""

    signals: tuple[str, ...] = ("tracks", "plan-tracks")
    detector: type[Detector] = ObjectDetector
    axis: Axis | None = IN_VIEW
    unit: Callable[[ObjectDialsT], str] = _objects
    yardstick: AnyYardstick = RAISES
    find: Callable[
        [Tracks, Indices, Sequence[ObjectRegion], ObjectDialsT], list[Found]
    ]  # raises, before the re-arm time
    watches: str  # "line", "zone" or "both"
    follower: type[Follower] = Follower  # the same, a frame at a time
    nearness: tuple[str, ...] = ORDER  # of verdicts: which came nearest to a raise
    whole: str = ""  # what its events name where they come of all regions together, and not of one
    beside: str = ""  # what else its events may name
    arrows: Arrows = ALONG  # which ways of its lines raise
    ordered: bool = False  # do its regions come one after the other?
    counts: bool = False  # does it keep count of who is inside?

    @property
    def shapes(self) -> tuple[Shape, ...]:
        lines: tuple[Shape, ...] = ("line",) if self.watches in ("line", "both") else ()
        zones: tuple[Shape, ...] = ("polygon", "box") if self.watches in ("zone", "both") else ()
        return (*lines, *zones)

    def sources(self, detector: Detector) -> list[str]:
        if self.whole:
            return [self.whole]
        return [*super().sources(detector), *([self.beside] if self.beside else [])]

    def raised_text(self, dials: ObjectDialsT, raised: Raised, scale: Scale = CELSIUS) -> str:
        if raised.object is None:
            return f"{short(raised.reading)} {self.unit(dials)}"
        way = SIDES.get(raised.direction or "", (raised.direction or "").replace("_", " "))
        return ", ".join(each for each in (way, f"object {raised.object}") if each)

    def dial_unit(self, info: DialInfo, signal: str) -> str:
        """Return a dial's unit: on a plan objects move in metres, and so do distances that are pixels in a picture."""
        return "m" if info.unit == "px" and signal == "plan-tracks" else info.unit


AnyTrackKind: TypeAlias = TrackKind[Any]
