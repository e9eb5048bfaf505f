"""The sun in a camera's picture: at which minutes of a day it stands in the field or just beside it, and nothing hides it."""

from __future__ import annotations

import math
from datetime import UTC, date, datetime, time, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

import numpy as np
from astral import Observer
from astral.sun import azimuth, elevation

from lantern.core.optics import verdicts
from lantern.core.optics.coverage import crossed
from lantern.core.optics.mount import Floats, Mount, View
from lantern.core.promise.claim import Around, Claim, Remedy, Stood, least
from lantern.core.promise.plan import Aim, Plan

STEP_MIN = 5
BESIDE_DEG = 5.0  # so far beyond the picture's edge the sun still veils it; common practice, no source


@lru_cache(maxsize=64)
def suns(latitude: float, longitude: float, day: date, zone: str) -> tuple[tuple[datetime, ...], Floats]:
    """The sun every few minutes of a day by the clocks of a zone: (instants, directions to it of shape (n, 3)), above the horizon
    alone. By astral, with refraction.
    """
    start = datetime.combine(day, time(), ZoneInfo(zone)).astimezone(UTC)
    end = datetime.combine(day + timedelta(days=1), time(), ZoneInfo(zone)).astimezone(UTC)
    observer = Observer(latitude, longitude)
    instants, ways = [], []
    at = start
    while at < end:
        up = math.radians(elevation(observer, at))
        if up > 0:
            round_ = math.radians(azimuth(observer, at))
            instants.append(at)
            ways.append((math.sin(round_) * math.cos(up), math.cos(round_) * math.cos(up), math.sin(up)))
        at += timedelta(minutes=STEP_MIN)
    return tuple(instants), np.array(ways).reshape(-1, 3)


def dazzled(mount: Mount, ways: Floats, plan: Plan) -> Floats:
    """Return which of these directions to the sun, shape (n, 3), lie in the picture or just beside it with nothing in
    front; bools (n,).
    """
    seen = ways @ View(mount).axes.T
    half = np.arctan(np.array(mount.pixels) / (2 * mount.f_px)) + math.radians(BESIDE_DEG)
    inside = (seen[:, 2] > 0) & np.all(np.abs(np.arctan2(seen[:, :2], seen[:, 2:])) <= half, axis=1)
    for n in np.flatnonzero(inside):
        inside[n] = not _behind(mount, ways[n], plan)
    return np.asarray(inside)


def _behind(mount: Mount, way: Floats, plan: Plan) -> bool:
    """Return whether something stands in front of the sun. A wall hides it up to its top."""
    level = math.hypot(way[0], way[1])
    if level == 0:
        return False
    ahead, rise = way[:2] / level, way[2] / level
    eye = np.array([mount.x_m, mount.y_m])
    for wall in plan.walls:
        away, hit = crossed(eye, ahead, wall.segments)
        if bool(np.any(hit & (mount.height_m + away * rise <= wall.height_m))):
            return True
    return False


def claims(stood: Stood, mount: Mount, aim: Aim, around: Around, cured: bool) -> list[Claim]:
    """Return the claims of the worst of the plan's dates; nothing where it names none, or does not say where on the
    earth it lies.
    """
    plan, wish = around.plan, verdicts.GLARE
    if not plan.sun_dates or plan.latitude is None or plan.longitude is None:
        return []
    latitude, longitude = plan.latitude, plan.longitude

    def minutes(held: Mount, day: date) -> float:
        _, ways = suns(latitude, longitude, day, around.zone)
        return float(np.count_nonzero(dazzled(held, ways, plan)) * STEP_MIN)

    worst = max(plan.sun_dates, key=lambda day: minutes(mount, day))
    value = minutes(mount, worst)
    verdict = wish.word(value)
    remedies = []
    if cured and verdict != "pass":

        def at_worst(tilt_deg: float) -> float | None:
            held = mount.model_copy(update={"tilt_deg": tilt_deg})
            point = np.array(aim.point)
            view = View(held)
            if not bool(view.inside(view.pixels(point))):
                return None
            return max(minutes(held, day) for day in plan.sun_dates)

        found = least(mount.tilt_deg, 0.0, 60.0, at_worst, wish, 1)
        if found is not None:
            tilt_deg, spare = found
            remedies.append(
                Remedy(f"tilt {tilt_deg:g}° instead of {mount.tilt_deg:g}°, {spare}", {"tilt_deg": tilt_deg})
            )
    reason = _when(mount, around, worst) or f"on none of {len(plan.sun_dates)} dates"
    return [Claim(stood.code, wish.name, wish.label, value, wish, verdict, reason, aim.name, remedies)]


def _when(mount: Mount, around: Around, day: date) -> str:
    """The stretches of a day in words, by the site's clocks."""
    plan = around.plan
    assert plan.latitude is not None and plan.longitude is not None  # asked before
    instants, ways = suns(plan.latitude, plan.longitude, day, around.zone)
    hit = dazzled(mount, ways, plan)
    stretches: list[tuple[datetime, datetime]] = []
    for n in np.flatnonzero(hit):
        at, end = instants[n], instants[n] + timedelta(minutes=STEP_MIN)
        if stretches and stretches[-1][1] == at:
            stretches[-1] = (stretches[-1][0], end)
        else:
            stretches.append((at, end))
    zone = ZoneInfo(around.zone)
    said = [f"{one.astimezone(zone):%H:%M} to {other.astimezone(zone):%H:%M}" for one, other in stretches]
    return f"{day:%d.%m.%Y}: {', '.join(said)}" if said else ""
