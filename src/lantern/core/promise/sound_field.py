"""How loud it is all over a plan, from all its speakers together, as areas within which it is at least so loud."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Any, cast

import numpy as np
import shapely
from contourpy import FillType, contour_generator
from shapely.geometry.base import BaseGeometry

from lantern.core.promise import sound
from lantern.core.promise.plan import Plan
from lantern.core.promise.sound import Speaker

CELLS = 220  # along the longer side
LEVELS_DB = (60.0, 65.0, 70.0, 75.0, 80.0, 85.0, 90.0, 95.0, 100.0)


def louder(
    speakers: Sequence[Speaker], plan: Plan, levels_db: Sequence[float] = LEVELS_DB
) -> list[tuple[float, BaseGeometry]]:
    """(level, area) at an ear's height, the areas one within the other; levels that are reached nowhere are left out."""
    if not speakers:
        return []
    step = max(plan.width_m, plan.height_m) / CELLS
    x = np.linspace(0, plan.width_m, max(round(plan.width_m / step), 2) + 1)
    y = np.linspace(0, plan.height_m, max(round(plan.height_m / step), 2) + 1)
    xs, ys = np.meshgrid(x, y)
    points = np.column_stack([xs.ravel(), ys.ravel(), np.full(xs.size, sound.EAR_M)])
    level = sound.together_at_db(speakers, points, plan.walls).reshape(xs.shape)
    made = contour_generator(x, y, level, fill_type=FillType.OuterOffset)
    out = []
    for least in levels_db:
        outers, offsets = cast(tuple[list[Any], list[Any]], made.filled(least, np.inf))
        parts = []
        for corners, at in zip(outers, offsets, strict=True):
            rings = [corners[a:b] for a, b in pairwise(at.tolist())]
            parts.append(shapely.Polygon(rings[0], rings[1:]))
        area = shapely.union_all([shapely.make_valid(part) for part in parts]) if parts else shapely.Polygon()
        if not area.is_empty:
            out.append((least, area))
    return out
