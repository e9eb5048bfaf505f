"""A radar that is moved before it is moved: the targets of a take as they would be seen from another place."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from lantern.core.promise.plan import Occluder
from lantern.core.promise.radar import Radar, reach, sees
from lantern.core.radar.frame import Frame
from lantern.core.radar.motion import motion_of
from lantern.core.radar.regions import RadarDetector, RadarRegion
from lantern.core.radar.returns import Returns
from lantern.core.radar.sighted import Sighted
from lantern.core.signals import Floats
from lantern.core.watching import Bools

MOST_WITHIN = 0.99
DECIMALS = 2  # of a polygon's corners, m


@dataclass(frozen=True)
class Moved:
    """`returns` as seen from there; how many of the take's lie out of its reach there (`lost`), and of how many no motion is known, so
    that a move leaves them out (`unsure`).
    """

    returns: Returns
    lost: int
    unsure: int


def frame_of(mount: Radar) -> Frame:
    return Frame(mount.x_m, mount.y_m, mount.azimuth_deg)


def is_turned_only(old: Radar, new: Radar) -> bool:
    return (old.x_m, old.y_m) == (new.x_m, new.y_m)


def reach_shown(returns: Returns, mount: Radar) -> float:
    """Return how far the unit sees a person (1 m²), by its mount, or by its own returns where these come from farther: all but a hundredth
    of them lie within.
    """
    if not len(returns):
        return mount.range_m
    shown = float(np.quantile(returns.range_m / 10 ** (returns.rcs_dbsm / 40), MOST_WITHIN))
    return max(mount.range_m, shown)


def seen_from(returns: Returns, old: Radar, new: Radar, occluders: Sequence[Occluder] = ()) -> Moved:
    """Return what a take of `old` would be, had the unit been `new`: what lies in the reach of `new` for its size, which is kept. Its reach
    is the one that the take shows (`reach_shown`).

    A turn leaves ranges and speeds as they were measured. A move gives ranges, azimuths and radial speeds of the smoothed motion
    (`motion.py`), and what comes too seldom to be smoothed is left out.
    """
    new = new.model_copy(update={"range_m": max(new.range_m, reach_shown(returns, old))})
    if is_turned_only(old, new):
        azimuth = np.mod(returns.azimuth_deg + old.azimuth_deg - new.azimuth_deg + 180.0, 360.0) - 180.0
        there = _in_reach(new, occluders, *frame_of(old).onto_plan(*returns.places), returns.rcs_dbsm)
        turned = replace(returns, azimuth_deg=azimuth, sighted=_from(new, returns))
        return Moved(turned.picked(there), int((~there).sum()), 0)
    motion = motion_of(returns, frame_of(old))
    there = _in_reach(new, occluders, motion.x_m, motion.y_m, returns.rcs_dbsm[motion.row])
    kept = there & motion.known
    right, ahead = frame_of(new).from_plan(motion.x_m, motion.y_m)
    away = np.hypot(right, ahead)
    towards = (motion.x_m - new.x_m) * motion.east_mps + (motion.y_m - new.y_m) * motion.north_mps
    speed = np.divide(towards, away, out=np.zeros_like(away), where=away > 0)
    order = np.argsort(motion.row[kept], kind="stable")
    row = motion.row[kept][order]
    moved = Returns(
        t_s=returns.t_s[row],
        target=returns.target[row],
        range_m=away[kept][order],
        azimuth_deg=np.degrees(np.arctan2(right, ahead))[kept][order],
        speed_mps=speed[kept][order],
        rcs_dbsm=returns.rcs_dbsm[row],
        ids=returns.ids,
        sighted=_from(new, returns),
    )
    return Moved(moved, int((~there).sum()), int((there & ~motion.known).sum()))


def _from(new: Radar, returns: Returns) -> Sighted | None:
    return None if returns.sighted is None else replace(returns.sighted, frame=frame_of(new))


def _in_reach(mount: Radar, occluders: Sequence[Occluder], x: Floats, y: Floats, rcs_dbsm: Floats) -> Bools:
    """(n,): does each lie where the plan says that the unit sees things of its size?"""
    return sees(mount, occluders, np.column_stack((x, y)), 10 ** (rcs_dbsm / 10))


def unknown_ground(old: Radar, new: Radar, occluders: Sequence[Occluder] = ()) -> BaseGeometry:
    """Return what a person would be seen on from the new place and was not from the old one: of it the take says nothing."""
    return shapely.difference(reach(new, occluders), reach(old, occluders))


def moved_regions(detector: RadarDetector, old: Radar, new: Radar) -> RadarDetector:
    """Return the detector of the moved unit: sectors go with it, polygons stay where they lie on the ground."""
    regions = tuple(
        each if each.shape == "sector" else _stays(each, frame_of(old), frame_of(new)) for each in detector.regions
    )
    return detector.model_copy(update={"regions": regions})


def _stays(region: RadarRegion, old: Frame, new: Frame) -> RadarRegion:
    corners = np.array(region.points, dtype=np.float64)
    right, ahead = new.from_plan(*old.onto_plan(corners[:, 0], corners[:, 1]))
    points = tuple((round(float(x), DECIMALS), round(float(y), DECIMALS)) for x, y in zip(right, ahead, strict=True))
    return region.model_copy(update={"points": points})
