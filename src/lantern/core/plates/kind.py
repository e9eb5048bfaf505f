"""A kind that decides on plates: what such a kind must say of itself."""

from __future__ import annotations

from dataclasses import dataclass

from lantern.core.axis import Axis
from lantern.core.events import Detector, Raised, Shape
from lantern.core.kind import Kind, Need, Truth
from lantern.core.named_lists import NamedLists
from lantern.core.plates.detector import PlateDetector
from lantern.core.plates.dials import PlateDials
from lantern.core.plates.named_lists import PLATE_LISTS
from lantern.core.tuning.measures import AnyYardstick
from lantern.core.tuning.raises import RAISES
from lantern.core.units import CELSIUS, Scale

PASSAGES = Axis(lane="passages")


@dataclass(frozen=True, kw_only=True)
class PlateKind(Kind[PlateDials]):
    """Decided passage by passage."""

    signals: tuple[str, ...] = ("plates",)
    detector: type[Detector] = PlateDetector
    yardstick: AnyYardstick = RAISES
    needs_regions: Need = "optional"
    axis: Axis | None = PASSAGES
    truth: tuple[Truth, ...] = ("marks", "text")
    lists: NamedLists = PLATE_LISTS

    @property
    def shapes(self) -> tuple[Shape, ...]:
        return ("polygon", "box")

    def raised_text(self, dials: PlateDials, raised: Raised, scale: Scale = CELSIUS) -> str:
        own = raised.own
        held = "" if own.get("match") == own.get("text") else f", as {own.get('match')}"
        matched = f"{held} on {own['list']}" if own.get("match") else ""
        return f"{own.get('text', '')}{matched}: vehicle {raised.object}, {100 * raised.reading:.0f} % sure"

    def sources(self, detector: Detector) -> list[str]:
        """Its regions; "" where it has none, for then it watches the whole picture."""
        return super().sources(detector) or [""]
