"""A speaker that must be heard, at a point or all over a zone, over how loud it is there, by a published margin."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np
import shapely

from lantern.core.optics.mount import Floats
from lantern.core.optics.verdicts import Wish
from lantern.core.promise import sound
from lantern.core.promise.claim import Around, Claim, Remedy, Stood, least
from lantern.core.promise.plan import Aim
from lantern.core.promise.sound import Speaker

GRID = 12  # places each way over a zone, besides its corners
LOUDEST = Wish(
    "loudest_db", sound.MOST_AT_AN_EAR_DB, "dB", False, "ISO 7731:2003, from memory", label="Loudest at an ear"
)
Point = tuple[float, float]


def claims(stood: Stood, aim: Aim, around: Around, cured: bool) -> list[Claim]:
    mount, plan = stood.mount, around.plan
    assert isinstance(mount, Speaker)
    ambient = plan.ambient_db(aim.place, aim.hour)
    margin = sound.MARGINS[aim.margin]
    goal = margin.needed_db(ambient if ambient is not None else 0.0)
    wish = Wish("level_db", goal, "dB", True, margin.source)
    rest = [each.mount for each in around.others if isinstance(each.mount, Speaker) and each.code != stood.code]
    places = places_of(aim)

    def weakest(held: Speaker) -> tuple[float, Point]:
        levels = sound.together_at_db((held, *rest), places, plan.walls)
        at = int(np.argmin(levels))
        return float(levels[at]), (float(places[at, 0]), float(places[at, 1]))

    value, at = weakest(mount)
    clock = f"{int(aim.hour):02}:{int(aim.hour % 1 * 60):02}"
    around_it = f"nothing is said of how loud it is at {clock}"
    if ambient is not None:
        around_it = f"{ambient:g} dB(A) around at {clock}"
    distance = math.dist((*at, sound.EAR_M), tuple(mount.eye))
    reason = f"{around_it}; {distance:.0f} m away{', with the other speakers' if rest else ''}"
    if len(places) > 1:
        reason += "; at its quietest place"
    verdict = wish.word(value)
    remedies = _remedies(mount, aim, at, weakest, wish) if cured and verdict != "pass" else []
    label = f"Level at {aim.name}"
    out = [Claim(stood.code, "level_db", label, value, wish, verdict, reason, aim.name, remedies, at)]
    return out + _too_loud(stood, mount, aim)


def places_of(aim: Aim) -> Floats:
    """Return where it is to be heard, shape (n, 3): the point, the points, or a grid over the zone with its corners."""
    corners = [(float(x), float(y)) for x, y, *_ in aim.points]
    found = list(corners)
    if len(corners) > 2:
        zone = shapely.Polygon(corners)
        x0, y0, x1, y1 = zone.bounds
        x, y = (
            mesh.ravel()
            for mesh in np.meshgrid(np.linspace(x0, x1, GRID + 2)[1:-1], np.linspace(y0, y1, GRID + 2)[1:-1])
        )
        inside = shapely.contains_xy(zone, x, y)
        found += list(zip(x[inside].tolist(), y[inside].tolist(), strict=True))
    ear = aim.point[2] or sound.EAR_M
    return np.array([(x, y, ear) for x, y in found])


def _too_loud(stood: Stood, mount: Speaker, aim: Aim) -> list[Claim]:
    """Return how loud it is for who comes as near as one can, on its axis; told only where it comes near the limit."""
    above = max(mount.height_m - sound.EAR_M, sound.NEAREST_M)
    value = sound.at_distance_db(mount.at_1_m_db, above)
    word = LOUDEST.word(value)
    if LOUDEST.goal - value > 3:
        return []
    reason = f"{above:.1f} m beneath it"
    return [Claim(stood.code, LOUDEST.name, LOUDEST.label, value, LOUDEST, word, reason, aim.name)]


def _remedies(
    mount: Speaker, aim: Aim, at: Point, weakest: Callable[[Speaker], tuple[float, Point]], wish: Wish
) -> list[Remedy]:
    out = []
    watts = least(mount.watts, 0.1, 500.0, lambda w: weakest(mount.model_copy(update={"watts": w}))[0], wish, 1)
    if watts is not None:
        power_w, spare = watts
        out.append(Remedy(f"{power_w:g} W instead of {mount.watts:g} W, {spare}", {"watts": power_w}))
    closer = _closer(mount, at, lambda held: weakest(held)[0], wish.with_margin.goal)
    if closer is not None:
        far = math.hypot(closer.x_m - mount.x_m, closer.y_m - mount.y_m)
        text = f"move it {far:.1f} m towards {aim.name}, to x {closer.x_m:g}, y {closer.y_m:g}, {wish.spare}"
        out.append(Remedy(text, {"x_m": closer.x_m, "y_m": closer.y_m}))
    return out


def _closer(mount: Speaker, point: Sequence[float], level: Callable[[Speaker], float], goal: float) -> Speaker | None:
    """The first place on the way to the point from which it is loud enough."""
    for share in np.linspace(0, 0.98, 99):
        x, y = (mount.x_m + (point[0] - mount.x_m) * share, mount.y_m + (point[1] - mount.y_m) * share)
        held = mount.model_copy(update={"x_m": round(float(x), 2), "y_m": round(float(y), 2)})
        if level(held) >= goal:
            return held
    return None
