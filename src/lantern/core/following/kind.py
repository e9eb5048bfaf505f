"""The kind that has a head follow whoever moves over the plan."""

from __future__ import annotations

from dataclasses import dataclass

from lantern.core.axis import Axis
from lantern.core.company import Company
from lantern.core.events import Detector, Raised, Shape
from lantern.core.following.detector import FollowDetector, Ground
from lantern.core.following.dials import FollowDials
from lantern.core.following.measures import FOLLOWING
from lantern.core.kind import Kind, Need
from lantern.core.ptz.standing import FRAME_PX, head_of, rest_of
from lantern.core.tracks import Tracks
from lantern.core.tuning.measures import AnyYardstick
from lantern.core.units import CELSIUS, Scale

HEIGHT = Axis(lane="target, px")


@dataclass(frozen=True, kw_only=True)
class FollowKind(Kind[FollowDials]):
    """Decided moment by moment, for where the head looks depends on where it looked."""

    signals: tuple[str, ...] = ("plan-tracks",)
    detector: type[Detector] = FollowDetector
    yardstick: AnyYardstick = FOLLOWING
    needs_regions: Need = "optional"
    axis: Axis | None = HEIGHT

    @property
    def shapes(self) -> tuple[Shape, ...]:
        return ("polygon", "box")

    def sources(self, detector: Detector) -> list[str]:
        return super().sources(detector) or [""]

    def companions(self, detector: Detector) -> tuple[str, ...]:
        assert isinstance(detector, FollowDetector)
        return detector.cameras

    def asks(self, detector: Detector) -> tuple[str, ...] | None:
        return ()

    def accompanied(self, detector: Detector, value: Tracks, company: Company) -> Ground:
        own = company.own
        return Ground(value, head_of(own), rest_of(own), own.pixels or FRAME_PX)

    def raised_text(self, dials: FollowDials, raised: Raised, scale: Scale = CELSIUS) -> str:
        return f"follows {raised.object}"
