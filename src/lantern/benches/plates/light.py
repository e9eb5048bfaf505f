"""The light of a take: as it says itself, else by the sun where the site says where it is."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import timedelta
from itertools import pairwise
from typing import Any

import numpy as np

from lantern.core.plates.subject import PlateSubject
from lantern.core.sun import LIGHTS, height_deg, light_of
from lantern.sites.tables import SiteRow
from lantern.takes.tables import TakeRow

PIECES = 96  # of the lane that is drawn
DARKEST_DEG, BRIGHTEST_DEG = -14.0, 8.0  # between which the lane is shaded
STATED = {"day": 0.0, "dusk": 0.55, "night": 1.0}


def lights_of(take: TakeRow, held: PlateSubject) -> list[str]:
    """The light of each passage: as the take says, else by the sun where the site says where it is; "" where nobody can know."""
    many = len(held.passages)
    if held.reads.light in LIGHTS:
        return [str(held.reads.light)] * many
    place = _place(take.device.place.site)
    if place is None:
        return [""] * many
    times = [take.start + timedelta(seconds=t) for t in held.passages.first_s.tolist()]
    return [light_of(height_deg(at, *place)) for at in times]


def _place(site: SiteRow) -> tuple[float, float] | None:
    """Latitude and longitude of the plan's origin, where it has them."""
    plan: Mapping[str, Any] = site.extras.get("plan") or {}
    found = plan.get("latitude"), plan.get("longitude")
    if all(isinstance(each, int | float) for each in found):
        return float(found[0]), float(found[1])  # type: ignore[arg-type] # both are numbers
    return None


def light_shown(take: TakeRow, held: PlateSubject) -> list[list[Any]]:
    """[from, to, how dark (0 to 1), in words] of pieces that join up; nothing where nobody can know."""
    length_s = max(held.length_s, 1.0)
    if held.reads.light in STATED:
        return [[0.0, length_s, STATED[str(held.reads.light)], f"{held.reads.light}, as the take says"]]
    place = _place(take.device.place.site)
    if place is None:
        return []
    edges = np.linspace(0, length_s, PIECES + 1).tolist()
    out = []
    for a, b in pairwise(edges):
        height = height_deg(take.start + timedelta(seconds=(a + b) / 2), *place)
        dark = min(max((BRIGHTEST_DEG - height) / (BRIGHTEST_DEG - DARKEST_DEG), 0.0), 1.0)
        out.append([a, b, dark, f"{light_of(height)}: the sun at {height:.0f} degrees"])
    return out
