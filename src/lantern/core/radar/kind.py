"""Kinds that decide on a radar's returns."""

from __future__ import annotations

from dataclasses import dataclass, replace

from lantern.core.axis import Axis
from lantern.core.company import Company
from lantern.core.events import Detector, Raised, Shape
from lantern.core.kind import Kind, Need
from lantern.core.radar.dials import RadarDials
from lantern.core.radar.regions import RadarDetector
from lantern.core.radar.returns import Returns
from lantern.core.radar.sighted import sighted
from lantern.core.tuning.measures import AnyYardstick
from lantern.core.tuning.raises import RAISES
from lantern.core.units import CELSIUS, Scale

WAYS = Axis(lane="way, m")
WORDS = {"in": "nearer", "out": "away"}


@dataclass(frozen=True, kw_only=True)
class RadarKind(Kind[RadarDials]):
    """Decided target by target."""

    signals: tuple[str, ...] = ("radar",)
    detector: type[Detector] = RadarDetector
    yardstick: AnyYardstick = RAISES
    needs_regions: Need = "optional"
    axis: Axis | None = WAYS

    @property
    def shapes(self) -> tuple[Shape, ...]:
        return ("polygon", "sector")

    def sources(self, detector: Detector) -> list[str]:
        return super().sources(detector) or [""]

    def companions(self, detector: Detector) -> tuple[str, ...]:
        assert isinstance(detector, RadarDetector)
        return () if detector.beside is None else (detector.beside.device,)

    def asks(self, detector: Detector) -> tuple[str, ...] | None:
        return self.companions(detector) or None

    def accompanied(self, detector: Detector, value: Returns, company: Company) -> Returns:
        assert isinstance(detector, RadarDetector)
        return value if detector.beside is None else replace(value, sighted=sighted(detector.beside, company))

    def raised_text(self, dials: RadarDials, raised: Raised, scale: Scale = CELSIUS) -> str:
        went = WORDS.get(raised.direction or "", "along")
        return f"target {raised.object} came {raised.reading:.1f} m, {went}"
