"""A radar right behind a wall: what it may stand behind is its type's to say."""

from __future__ import annotations

import shapely

from lantern.core.optics.verdicts import Wish, Word
from lantern.core.promise import radar
from lantern.core.promise.claim import Claim, Stood
from lantern.core.promise.plan import Plan
from lantern.core.promise.radar import Radar

NEAR_M = 10.0  # a wall that is nearer is one that it stands behind; common practice, no source
ALLOWED = Wish("behind", 0, "", False, "the type's own", label="Stands behind")


def claims(stood: Stood, plan: Plan) -> list[Claim]:
    """One for each wall right before it whose material its type does not allow."""
    mount, allowed = stood.mount, stood.behind
    if not isinstance(mount, Radar) or allowed is None:
        return []
    near = shapely.intersection(radar.sector(mount, mount.range_m), shapely.Point(mount.eye).buffer(NEAR_M))
    out = []
    for each in plan.occluders:
        if each.height_m < mount.height_m or not shapely.intersects(near, each.wall.stands) or each.material in allowed:
            continue
        verdict: Word = "fail"
        known = ", ".join(allowed) or "nothing"
        reason = (
            f"{each.name} ({each.material}) stands within {NEAR_M:g} m before it; its type may stand behind {known}"
        )
        out.append(Claim(stood.code, ALLOWED.name, ALLOWED.label, None, ALLOWED, verdict, reason))
    return out
