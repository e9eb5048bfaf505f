"""A kind that decides on faces: what such a kind must say of itself."""

from __future__ import annotations

from dataclasses import dataclass

from lantern.core.axis import Axis
from lantern.core.events import Detector, Raised, Shape
from lantern.core.faces.detector import FaceDetector
from lantern.core.faces.dials import MASKS, FaceDials
from lantern.core.faces.named_lists import FACE_LISTS
from lantern.core.kind import Kind, Need
from lantern.core.named_lists import NamedLists
from lantern.core.tuning.measures import AnyYardstick
from lantern.core.tuning.raises import RAISES
from lantern.core.units import CELSIUS, Scale

LOOKS = Axis(lane="looks")


@dataclass(frozen=True, kw_only=True)
class FaceKind(Kind[FaceDials]):
    """Decided look by look."""

    signals: tuple[str, ...] = ("faces",)
    detector: type[Detector] = FaceDetector
    yardstick: AnyYardstick = RAISES
    needs_regions: Need = "none"
    axis: Axis | None = LOOKS
    lists: NamedLists = FACE_LISTS

    @property
    def shapes(self) -> tuple[Shape, ...]:
        return ()

    def raised_text(self, dials: FaceDials, raised: Raised, scale: Scale = CELSIUS) -> str:
        named = raised.own.get("list")
        if named is None and dials.when in MASKS:
            return f"look {raised.object}, mask {MASKS[dials.when]}"
        if named is None:
            return f"look {raised.object} is on no list; nobody came nearer than {raised.reading:g}"
        return f"{raised.object} on {named}: score {raised.reading:g}"

    def sources(self, detector: Detector) -> list[str]:
        """All that its device sees."""
        return [""]
