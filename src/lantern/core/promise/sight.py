"""What all cameras of a plan see together of its dry ground: nowhere, from one, from several."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import shapely
from shapely.geometry.base import BaseGeometry

from lantern.core.optics.coverage import covered, overlap
from lantern.core.optics.mount import Mount
from lantern.core.promise.claim import Stood
from lantern.core.promise.plan import Plan


@dataclass(frozen=True)
class Sight:
    """Areas on the plan: the dry ground outside of buildings, what of it no camera sees, and what at least two do."""

    dry: BaseGeometry
    unseen: BaseGeometry
    twice: BaseGeometry

    @property
    def unseen_share(self) -> float:
        return self._share(self.unseen)

    @property
    def twice_share(self) -> float:
        return self._share(self.twice)

    def _share(self, area: BaseGeometry) -> float:
        return float(area.area / self.dry.area) if self.dry.area else 0.0


def sight(stood: Sequence[Stood], plan: Plan, height_m: float = 0.0) -> Sight:
    """Return what the cameras see of targets at a height; cameras that turn, as they rest."""
    ground = shapely.box(0, 0, plan.width_m, plan.height_m)
    wet = [each.stands for each in plan.outlines if each.what == "water" and each.closed]
    built = [each.wall.stands for each in plan.occluders if each.closed]
    dry = shapely.difference(ground, shapely.union_all([*wet, *built])) if wet or built else ground
    seen = [covered(each.mount, plan.walls, height_m).seen for each in stood if isinstance(each.mount, Mount)]
    if not seen:
        return Sight(dry, dry, shapely.Polygon())
    unseen = shapely.difference(dry, shapely.union_all(seen))
    return Sight(dry, unseen, shapely.intersection(dry, overlap(seen)))
