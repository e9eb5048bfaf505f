"""The four sides of a sector, tuned like dials: what each would miss and raise falsely, were it nearer, farther, more to the left or right."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from pydantic import ValidationError

from lantern.core.dials import DialInfo, Dials, dial, read_dials
from lantern.core.faults import Fault, Refused
from lantern.core.radar.regions import TURN_DEG, RadarRegion
from lantern.core.radar.retuned import Retuned
from lantern.core.radar.subject import RadarSubject

BEYOND_DEG = 10.0  # that a strip shows to either side of a sector


class SectorSides(Dials):
    """A sector by its sides; azimuths clockwise from what lies ahead."""

    near_m: float = dial(0.0, unit="m", low=0.0, high=20_000.0, step=1.0, meaning="Returns that are nearer lie outside")
    far_m: float = dial(
        50.0, unit="m", low=0.0, high=20_000.0, step=1.0, meaning="Returns that are farther lie outside"
    )
    left_deg: float = dial(-45.0, unit="°", low=-720.0, high=720.0, step=1.0, meaning="Where it begins on the left")
    right_deg: float = dial(45.0, unit="°", low=-720.0, high=720.0, step=1.0, meaning="Where it ends on the right")


@dataclass(frozen=True)
class Sides(Retuned):
    """One sector of a detector, the detector being held against a take. `place`: which of its regions it is."""

    subject: RadarSubject
    place: int
    dials: SectorSides

    def with_dials(self, **changes: Any) -> Sides:
        """Raises `Refused` where the near side is not below the far one, or the left one not left of the right."""
        now = read_dials(SectorSides, self.dials.model_dump() | changes)
        detector = self.subject.detector
        held = detector.regions[self.place]
        document = held.model_dump() | {"points": ((now.near_m, now.left_deg), (now.far_m, now.right_deg))}
        try:
            region = RadarRegion.model_validate(document)
        except ValidationError as error:
            what = "; ".join(str(detail["msg"]) for detail in error.errors())
            raise Refused([Fault(f"region {held.name}", what, "near below far, left below right")]) from error
        regions = (*detector.regions[: self.place], region, *detector.regions[self.place + 1 :])
        moved = replace(self.subject, detector=detector.model_copy(update={"regions": regions}))
        return replace(self, subject=moved, dials=now)

    def shown(self, info: DialInfo) -> tuple[float, float] | float:
        """As far as anything was seen; to both sides of where it was, and of the sector."""
        now, returns = self.dials, self.subject.returns
        if info.unit == "m":
            return 0.0, float(returns.range_m.max(initial=now.far_m))
        middle = (now.left_deg + now.right_deg) / 2
        off = np.mod(returns.azimuth_deg - middle + TURN_DEG / 2, TURN_DEG) - TURN_DEG / 2
        low = min(middle + float(off.min(initial=0.0)), now.left_deg - BEYOND_DEG)
        high = max(middle + float(off.max(initial=0.0)), now.right_deg + BEYOND_DEG)
        return low, high


def sides_of(subject: RadarSubject, place: int) -> Sides:
    """Return a region's sides. Raises `Refused` for one that there is not, or that is no sector."""
    regions = subject.detector.regions
    if not 0 <= place < len(regions):
        raise Refused([Fault("region", f"number {place}", f"one of the {len(regions)} there are, from 0")])
    if regions[place].shape != "sector":
        raise Refused([Fault(f"region {regions[place].name}", f"is a {regions[place].shape}", "a sector has sides")])
    (near, left), (far, right) = regions[place].points
    return Sides(subject, place, SectorSides(near_m=near, far_m=far, left_deg=left, right_deg=right))
