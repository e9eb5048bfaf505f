"""What of each mounted device is drawn on the plan, in metres: paths, contours and marks, for a page that only draws."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Any

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from lantern.core.optics.coverage import KEPT, Covered, banded, contour, covered, field_of
from lantern.core.optics.grades import EDITIONS
from lantern.core.optics.mount import Mount
from lantern.core.promise import following, overhead, radar, sound
from lantern.core.promise.beneath import beneath
from lantern.core.promise.claim import Stood
from lantern.core.promise.elevation import elevation
from lantern.core.promise.following import Turning, reach_m
from lantern.core.promise.plan import Plan
from lantern.core.promise.radar import CLASSES, Radar
from lantern.core.promise.sound import Speaker
from lantern.core.ptz.sketch import wedge
from lantern.core.watch import Aim as Look

GROUND_M, RAY_DEG, HALVINGS = 0.0, 6, 16
STRAIGHT_DOWN_DEG = overhead.STRAIGHT_DOWN_DEG


def drawn(stood: Stood, plan: Plan, height_m: float = GROUND_M) -> dict[str, Any]:
    """The device's field on the plan, a camera's at a height; `from` is where it stands, `azimuth` where it looks."""
    mount = stood.mount
    base: dict[str, Any] = {"from": [mount.x_m, mount.y_m], "azimuth": mount.azimuth_deg}
    if isinstance(mount, Mount):
        if mount.tilt_deg >= STRAIGHT_DOWN_DEG:
            return base | _footprint(mount)
        return base | _camera(stood, mount, plan, height_m)
    if isinstance(mount, Radar):
        return base | _radar(mount, plan)
    wanted = _wanted(stood, plan)
    return base | {"what": "speaker", "reach": path(_heard(mount, wanted, plan)), "level": wanted}


def side_view(stood: Stood, plan: Plan) -> dict[str, Any] | None:
    """A camera from the side, along its axis, or across its azimuth where it looks down; None for what is no camera."""
    mount = stood.mount
    if not isinstance(mount, Mount):
        return None
    aims = [aim for aim in plan.aims if aim.device == stood.code]
    if mount.tilt_deg >= STRAIGHT_DOWN_DEG:
        return beneath(mount, aims).as_dict()
    reach = max((math.dist(aim.points[0][:2], (mount.x_m, mount.y_m)) for aim in aims), default=0.0)
    told = elevation(mount, plan.occluders, EDITIONS[plan.edition], reach_m=reach).as_dict()
    azimuth = math.radians(mount.azimuth_deg)
    marks = []
    for aim in aims:
        x, y, z = aim.point
        along = (x - mount.x_m) * math.sin(azimuth) + (y - mount.y_m) * math.cos(azimuth)
        aside = abs((x - mount.x_m) * math.cos(azimuth) - (y - mount.y_m) * math.sin(azimuth))
        if aside <= along * math.tan(math.radians(mount.hfov_deg) / 2):  # else it is not before the camera as it rests
            marks.append([aim.name, along, z])
    return told | {"aims": marks}


def _camera(stood: Stood, mount: Mount, plan: Plan, height_m: float) -> dict[str, Any]:
    edition = EDITIONS[plan.edition]
    held = covered(mount, plan.walls, height_m, least_px_per_m=edition.grades[0][1])
    field = _field(mount, held, plan.edition, height_m)
    return field | _turning(stood, mount, plan) if isinstance(mount, Turning) else field


@lru_cache(maxsize=KEPT)
def _field(mount: Mount, held: Covered, edition_name: str, height_m: float) -> dict[str, Any]:
    """The bands, contours and shadow of a camera; kept, as what it covers is kept. Nobody changes it."""
    edition = EDITIONS[edition_name]
    levels = [least for _, least in edition.grades]
    bands = banded(mount, held.seen, height_m, levels)
    lines = []
    for name, least in edition.grades[1:]:
        line = contour(mount, height_m, least, held.field)
        if not line.is_empty and line.length > 1:
            ends = shapely.get_coordinates(line)
            lines.append({"px": least, "name": name, "from": ends[0].tolist(), "to": ends[-1].tolist()})
    return {
        "what": "camera",
        "field": mount.hfov_deg,
        "bands": [
            {"grade": name, "px": least, "path": path(band)}
            for (name, least), band in zip(edition.grades, bands, strict=True)
            if not band.is_empty
        ],
        "shadow": path(held.shadow),
        "contours": lines,
    }


def _turning(stood: Stood, mount: Turning, plan: Plan) -> dict[str, Any]:
    """Return how far each grade reaches at wide and at full zoom, wherever it is turned to, as far as the plan goes and its limits let it;
    the ground that it cannot see for walls; and where its presets look.
    """
    rings, reached = [], 0.0
    across = math.hypot(plan.width_m, plan.height_m)
    for words, focal_mm in (("wide", mount.wide_mm), ("full zoom", mount.tele_mm)):
        grades = [(name, reach_m(mount, focal_mm, least)) for name, least in EDITIONS[plan.edition].grades]
        for name, far_m in [each for each in grades if 1 < each[1] < across][-2:]:
            free = following.around(mount, (), far_m)
            rings.append({"name": f"{name}, {words} {far_m:.0f} m", "path": path(free.field), "range": far_m})
            reached = max(reached, far_m)
    held = following.around(mount, plan.walls, min(reached or across, across))
    views = [
        {"name": name, "path": path(shapely.Polygon(wedge(mount.head, Look(*look), mount.pixels)).buffer(0))}
        for name, look in stood.presets.items()
    ]
    return {"rings": rings, "hidden": path(held.shadow), "views": views}


def _footprint(mount: Mount) -> dict[str, Any]:
    """Return the footprint of what looks straight down: at the floor, and where shoulders are; turned as it hangs."""
    found = [
        (name, field_of(mount, above_m, least_px_per_m=1.0))
        for name, above_m in (("floor", 0.0), ("shoulder", overhead.SHOULDER_M))
    ]
    bands = [{"grade": name, "px": 0, "path": path(area)} for name, area in found if not area.is_empty]
    return {"what": "footprint", "bands": bands, "shadow": "", "contours": []}


def _radar(mount: Radar, plan: Plan) -> dict[str, Any]:
    far = radar.reach(mount, plan.occluders)
    rings = []
    for name, rcs in CLASSES.items():
        range_m = radar.range_of(mount.range_m, rcs)
        rings.append({"name": f"{name} {range_m:.0f} m", "path": path(radar.sector(mount, range_m)), "range": range_m})
    blind = []
    for aim in plan.aims:
        if aim.what == "walk":
            found = radar.crossing(mount, aim.points, (aim.speed_kmh or overhead.WALK_MPS * 3.6) / 3.6, far)
            line = shapely.LineString([point[:2] for point in aim.points])
            blind += [[list(line.interpolate(at).coords[0]) for at in stretch] for stretch in found.blind]
    return {"what": "radar", "reach": path(far), "rings": rings, "blind": blind}


def _wanted(stood: Stood, plan: Plan) -> float:
    """Loud enough for its aims; where it has none, for the loudest that is said of any place, by day or night."""
    goals = [
        sound.MARGINS[aim.margin].needed_db(plan.ambient_db(aim.place, aim.hour) or 0.0)
        for aim in plan.aims
        if aim.device == stood.code and aim.what == "hearing"
    ]
    loudest = max((each.level_db for each in plan.ambient), default=0.0)
    return max(goals, default=sound.MARGINS["ISO 7731"].needed_db(loudest))


def _heard(mount: Speaker, wanted_db: float, plan: Plan) -> BaseGeometry:
    """Return where it is that loud, by halving along rays."""
    turns = np.radians(np.arange(0, 360, RAY_DEG))
    ways = np.column_stack([np.sin(turns), np.cos(turns), np.zeros(len(turns))])
    start = np.array([mount.x_m, mount.y_m, sound.EAR_M])
    near, far = np.full(len(turns), 0.5), np.full(len(turns), 600.0)
    for _ in range(HALVINGS):
        middle = (near + far) / 2
        loud = sound.levels_db(mount, start + ways * middle[:, None], plan.walls) >= wanted_db
        near, far = np.where(loud, middle, near), np.where(loud, far, middle)
    return shapely.Polygon((start + ways * near[:, None])[:, :2])


def areas(stood: Stood, plan: Plan) -> list[tuple[dict[str, Any], BaseGeometry]]:
    """Return what a device covers on the ground, by grade or class, as areas with what they are."""
    mount = stood.mount
    if isinstance(mount, Mount):
        edition = EDITIONS[plan.edition]
        levels = [least for _, least in edition.grades]
        held = covered(mount, plan.walls, GROUND_M, least_px_per_m=levels[0])
        bands = banded(mount, held.seen, GROUND_M, levels)
        return [
            ({"device": stood.code, "grade": name, "px_per_m": least, "edition": edition.name}, band)
            for (name, least), band in zip(edition.grades, bands, strict=True)
        ]
    if isinstance(mount, Radar):
        return [
            ({"device": stood.code, "class": name, "rcs_m2": rcs}, radar.reach(mount, plan.occluders, rcs))
            for name, rcs in CLASSES.items()
        ]
    wanted = _wanted(stood, plan)
    return [({"device": stood.code, "level_db": wanted}, _heard(mount, wanted, plan))]


def path(area: BaseGeometry) -> str:
    """An area as an SVG path in metres, to the centimetre."""
    out = []
    for part in shapely.get_parts(area):
        if part.geom_type != "Polygon" or part.is_empty:
            continue
        for ring in (part.exterior, *part.interiors):
            corners = shapely.get_coordinates(ring)[:-1].tolist()
            out.append("M" + "L".join(f"{x:.2f} {y:.2f}" for x, y in corners) + "Z")
    return "".join(out)
