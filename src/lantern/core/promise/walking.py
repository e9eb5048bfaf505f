"""A way that a radar should see somebody walk: where along it they run across the beam, and the least move that mends it."""

from __future__ import annotations

import math
from collections.abc import Callable

import shapely

from lantern.core.optics.verdicts import OFTEN, Wish
from lantern.core.promise import radar
from lantern.core.promise.claim import Around, Claim, Remedy, Stood
from lantern.core.promise.moves import rings, turns
from lantern.core.promise.overhead import WALK_MPS
from lantern.core.promise.plan import Aim, Plan
from lantern.core.promise.radar import Radar


def claims(stood: Stood, aim: Aim, around: Around, cured: bool) -> list[Claim]:
    mount, plan = stood.mount, around.plan
    assert isinstance(mount, Radar)
    speed_mps = (aim.speed_kmh or WALK_MPS * 3.6) / 3.6
    wish = Wish("blind_s", aim.blind_s, "s", False, OFTEN)

    def crossed(held: Radar) -> radar.Crossing:
        return radar.crossing(held, aim.points, speed_mps, radar.reach(held, plan.occluders))

    now = crossed(mount)
    value = now.longest_s(speed_mps)
    verdict = wish.word(value)
    blind_m = max((end - start for start, end in now.blind), default=0.0)
    reason = (
        f"at {speed_mps:.1f} m/s {blind_m:.1f} m of the way run across the beam; {now.in_reach_m:.0f} of {now.length_m:.0f} m are "
        f"in reach{_through(mount, aim, plan)}"
    )
    if now.in_reach_m < 1e-9:
        verdict, reason = "fail", "the way is out of its reach"
    remedies = []
    if cured and verdict != "pass" and now.in_reach_m > 0:
        found = _least_move(mount, aim, crossed, wish, speed_mps)
        if found is not None:
            far = math.hypot(found.x_m - mount.x_m, found.y_m - mount.y_m)
            text = f"move it {far:.1f} m to x {found.x_m:g}, y {found.y_m:g}, turned to {found.azimuth_deg:.0f}°"
            remedies.append(Remedy(text, {"x_m": found.x_m, "y_m": found.y_m, "azimuth_deg": found.azimuth_deg}))
    return [Claim(stood.code, "blind_s", f"Unseen on {aim.name}", value, wish, verdict, reason, aim.name, remedies)]


def _least_move(
    mount: Radar, aim: Aim, crossed: Callable[[Radar], radar.Crossing], wish: Wish, speed_mps: float
) -> Radar | None:
    """The nearest other place, of 24 ways and by half metres, from which the path is nowhere unseen for too long, turned so that as
    much of it as before is in reach: turning the path out of the sector is no cure.
    """
    least_m = crossed(mount).in_reach_m - 1e-6
    middle = shapely.LineString([point[:2] for point in aim.points]).interpolate(0.5, normalized=True).coords[0]
    for ring in rings(mount.x_m, mount.y_m):
        for x, y in ring:
            held = mount.model_copy(update={"x_m": x, "y_m": y})
            if wish.word(radar.longest_anywhere_s(held, aim.points, speed_mps)) != "pass":
                continue
            for azimuth in turns(mount.azimuth_deg, x, y, (middle[0], middle[1])):
                turned = held.model_copy(update={"azimuth_deg": azimuth})
                if crossed(turned).in_reach_m >= least_m:
                    return turned
    return None


def _through(mount: Radar, aim: Aim, plan: Plan) -> str:
    """Return what stands between the radar and the way, with what it takes, one way."""
    fan = shapely.Polygon([(mount.x_m, mount.y_m), *((point[0], point[1]) for point in aim.points)])
    met = [
        each for each in plan.occluders if each.height_m >= mount.height_m and shapely.intersects(fan, each.wall.stands)
    ]
    said = [
        f"{each.name} ({each.material}, {'opaque' if math.isinf(each.loss_db) else f'{each.loss_db:g} dB'})"
        for each in met
    ]
    return f"; through {', '.join(said)}" if said else ""
