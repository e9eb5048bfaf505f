"""The radar where it stands: the plan beneath its sector, what it promises there, and what moving it would do to a take."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import shapely
from pydantic import Field
from shapely.geometry.base import BaseGeometry
from sqlalchemy.orm import Session

from lantern.benches.bench import Trial
from lantern.benches.radar.scene import judged
from lantern.core.events import Detector
from lantern.core.faults import Fault, Refused
from lantern.core.kinds import detector_of
from lantern.core.modelled import Strict, read_model
from lantern.core.optics.verdicts import OFTEN, Wish
from lantern.core.promise import radar
from lantern.core.promise.overhead import WALK_MPS
from lantern.core.promise.plan import Aim, Plan
from lantern.core.promise.radar import CLASSES, Radar
from lantern.core.radar.frame import Frame
from lantern.core.radar.least import from_there, least_move
from lantern.core.radar.moving import (
    MOST_WITHIN,
    frame_of,
    is_turned_only,
    moved_regions,
    reach_shown,
    seen_from,
    unknown_ground,
)
from lantern.core.radar.regions import RadarDetector
from lantern.core.radar.returns import Returns
from lantern.core.radar.subject import RadarSubject
from lantern.core.scoring.tally import Counts
from lantern.core.signals import Floats
from lantern.db.work import Tell
from lantern.plan.actions import plan_model
from lantern.plan.drawing import path
from lantern.register.history import mount_when
from lantern.register.tables import DeviceRow
from lantern.takes.tables import TakeRow, marks_of
from lantern.tune.bench import card_shown
from lantern.tune.judging import subject
from lantern.tune.tables import DetectorRow

LIKE_A_PERSON_DB = 3.0  # about 1 m²
NEAR_FOLDING = 0.9  # of the speed beyond which they fold


class Place(Strict):
    """Where a unit is tried."""

    x_m: float = Field(ge=-1e6, le=1e6)
    y_m: float = Field(ge=-1e6, le=1e6)
    azimuth_deg: float = Field(ge=-360, le=360)


class Carried(Strict):
    """Where a unit is put down, as it sees it from where it stood."""

    right_m: float = Field(ge=-20_000, le=20_000)
    ahead_m: float = Field(ge=-20_000, le=20_000)


def mount_of(device: DeviceRow) -> Radar | None:
    """Return where it stands now."""
    mount = device.extras.get("mount")
    return None if mount is None else read_model(Radar, mount, where=f"device {device.code}: mount")


def mount_then(session: Session, device: DeviceRow, take: TakeRow) -> Radar | None:
    """Return where it stood when the take came in."""
    mount = mount_when(session, device, take.created)
    return None if mount is None else read_model(Radar, mount, where=f"device {device.code}: mount")


def ground_shown(trial: Trial[RadarDetector]) -> dict[str, Any]:
    """Return the plan in the radar's own frame, what it promises on it, where it stood when the take came in and where it stands now."""
    device = trial.take.device
    then, now = mount_then(trial.session, device, trial.take), mount_of(device)
    if then is None or now is None:
        return {"mounted": False}
    plan = plan_model(trial.session, device.site_id)
    frame = frame_of(then)
    rings = [
        {
            "name": name,
            "range_m": radar.range_of(then.range_m, rcs),
            "path": _path(radar.reach(then, plan.occluders, rcs), frame),
        }
        for name, rcs in CLASSES.items()
    ]
    return {
        "mounted": True,
        "device": device.id,
        "whole": device.extras["mount"],
        "mount": {key: getattr(now, key) for key in Place.model_fields},
        "then": {key: getattr(then, key) for key in Place.model_fields},
        "stands": _stands(plan, frame),
        "rings": rings,
        "ways": [_way(aim, then, plan, frame) for aim in plan.aims if aim.what == "walk" and aim.device == device.code],
        "folds": _folds(judged(trial).returns, then),
        "reach": _reach(judged(trial).returns, then),
    }


def _reach(returns: Returns, mount: Radar) -> dict[str, float | None]:
    """How far it is promised to see a person, and what the take shows: how far things of about that size were seen at all."""
    alike = returns.range_m[np.abs(returns.rcs_dbsm) <= LIKE_A_PERSON_DB]
    farthest = float(np.quantile(alike, MOST_WITHIN)) if alike.size else None
    return {"promised_m": mount.range_m, "shown_m": reach_shown(returns, mount), "person_m": farthest}


def _folds(returns: Returns, mount: Radar) -> str:
    """Return what to know of speeds near the one beyond which they fold; empty: none is near it, or nobody says which that is."""
    if mount.waveform is None or not len(returns):
        return ""
    fastest, most = mount.waveform.fastest_mps, float(np.abs(returns.speed_mps).max())
    if most < NEAR_FOLDING * fastest:
        return ""
    return (
        f"Speeds reach {most:.1f} m/s, and fold beyond {fastest:.1f}: whoever is faster may seem to go the other way."
    )


def _stands(plan: Plan, frame: Frame) -> list[dict[str, Any]]:
    """What is drawn of the plan: (what, name, path, middle) each."""
    drawn: list[tuple[str, str, BaseGeometry]] = [(each.what, each.name, each.stands) for each in plan.outlines]
    drawn += [("built" if each.closed else "wall", each.name, each.wall.stands) for each in plan.occluders]
    out = []
    for what, name, area in drawn:
        middle = _own(area.representative_point(), frame).coords[0]
        out.append({"what": what, "name": name, "path": _path(area, frame), "middle": [round(v, 2) for v in middle]})
    return out


def _own(area: BaseGeometry, frame: Frame) -> BaseGeometry:
    """An area of the plan in the radar's own frame."""

    def turned(points: Floats) -> Floats:
        return np.column_stack(frame.from_plan(points[:, 0], points[:, 1]))

    moved: BaseGeometry = shapely.transform(area, turned)
    return moved


def _path(area: BaseGeometry, frame: Frame) -> str:
    own = _own(area, frame)
    if own.geom_type == "LineString":
        return "M" + "L".join(f"{x:.2f} {y:.2f}" for x, y in shapely.get_coordinates(own).tolist())
    return path(own)


def _way(aim: Aim, mount: Radar, plan: Plan, frame: Frame) -> dict[str, Any]:
    """A way that is to be seen walked, with the stretches of it that run across the beam, and the longest of them in words."""
    speed_mps = (aim.speed_kmh or WALK_MPS * 3.6) / 3.6
    line = shapely.LineString([point[:2] for point in aim.points])
    crossed = radar.crossing(mount, aim.points, speed_mps, radar.reach(mount, plan.occluders))
    wish = Wish("blind_s", aim.blind_s, "s", False, OFTEN)
    longest_s = crossed.longest_s(speed_mps)
    blind = [
        [[round(v, 2) for v in _own(line.interpolate(at), frame).coords[0]] for at in stretch]
        for stretch in crossed.blind
    ]
    said = (
        f"{aim.name}: at {speed_mps:.1f} m/s it runs across the beam for {longest_s:.1f} s, below {mount.min_speed_mps:g} m/s towards "
        f"the unit; the wish is {aim.blind_s:g} s"
    )
    return {"path": _path(line, frame), "blind": blind, "said": said, "verdict": wish.word(longest_s)}


# ---- moved -----------------------------------------------------------------------------------------------------------


def carried_shown(trial: Trial[RadarDetector]) -> dict[str, float]:
    """Return the place on the plan, to a decimetre."""
    then = mount_then(trial.session, trial.take.device, trial.take)
    if then is None:
        raise _nowhere(trial.take.device)
    put = read_model(Carried, trial.draft.also, where="also")
    x, y = frame_of(then).onto_plan(np.array([put.right_m]), np.array([put.ahead_m]))
    return {"x_m": round(float(x[0]), 1), "y_m": round(float(y[0]), 1)}


def _nowhere(device: DeviceRow) -> Refused:
    return Refused([Fault("mount", f"{device.code} stands nowhere on the plan", "a place on the plan first")])


def moved_shown(trial: Trial[RadarDetector]) -> dict[str, Any]:
    """Return how the take would go from the place that is asked for, and what of it nobody knows."""
    device = trial.take.device
    then = mount_then(trial.session, device, trial.take)
    if then is None:
        raise _nowhere(device)
    new = then.model_copy(update=read_model(Place, trial.draft.also, where="also").model_dump())
    occluders = plan_model(trial.session, device.site_id).occluders
    held = judged(trial)
    marks = held.own([row.as_mark() for row in marks_of(trial.session, trial.take.id)])
    seen = seen_from(held.returns, then, new, occluders)
    there = RadarSubject(moved_regions(held.detector, then, new), held.kind, held.dials, seen.returns, held.raw)
    unknown, frame = unknown_ground(then, new, occluders), frame_of(then)
    whole = radar.reach(new, occluders).area
    corner = _own(shapely.Point(new.x_m, new.y_m), frame).coords[0]
    return {
        "card": card_shown(there.card(marks), marked=bool(marks)),
        "here": card_shown(held.card(marks), marked=bool(marks)),
        "sector": _path(radar.reach(new, occluders), frame),
        "unknown": _path(unknown, frame),
        "stands": [round(v, 2) for v in corner],
        "fates": there.fates(marks),
        "turned": is_turned_only(then, new),
        "said": _said(held, then, new, seen.lost, seen.unsure, unknown.area / whole if whole else 0.0),
    }


def _said(held: RadarSubject, then: Radar, new: Radar, lost: int, unsure: int, unknown: float) -> list[str]:
    """What a reader must know of the figures from another place."""
    out = []
    if is_turned_only(then, new):
        out.append("A turn changes only what lies in its sector: ranges and speeds are those that were measured.")
    else:
        out.append(
            "Speeds towards the new place are of the smoothed motion; sizes are kept, though a side may look larger."
        )
    count = len(held.returns)
    if lost:
        out.append(f"{lost} of {count} returns lie out of its reach there.")
    if unsure:
        out.append(f"{unsure} returns come too seldom to say how they move, and are left out.")
    if unknown > 0.005:
        out.append(
            f"{100 * unknown:.0f} % of the ground it would see was not seen from the old place: hatched, unknown."
        )
    polygons = [each.name for each in held.detector.regions if each.shape == "polygon"]
    if polygons and len(held.detector.regions) > len(polygons):
        out.append(f"Sectors go with the unit; {', '.join(polygons)} stays on the ground.")
    return out


def least_study(session: Session, row: DetectorRow, asked: Mapping[str, Any], tell: Tell) -> dict[str, Any]:
    """Return the least move by which nothing is missed on the take that was asked for, in words and figures."""
    detector: Detector = detector_of(asked["detector"])
    takes: Sequence[int] = asked["takes"]
    take = session.get_one(TakeRow, takes[0])
    then = mount_then(session, take.device, take)
    if then is None:
        raise _nowhere(take.device)
    held = subject(session, detector, take)
    assert isinstance(held, RadarSubject)
    marks = held.own([each.as_mark() for each in marks_of(session, take.id)])
    expected = sum(mark.label == "expect" for mark in marks)
    if not expected:
        raise Refused([Fault("marks", "none says what should raise", "a mark on the time axis first")])
    occluders = plan_model(session, row.site_id).occluders
    found = least_move(held, marks, then, occluders, tell=lambda done: tell(round(100 * done), 100))
    now: Counts = from_there(held, then, then, occluders).result(marks)
    turn = f"No turn helps: {found.by_turning} of {expected} are missed at best."
    if not found.by_turning:
        turn = "It need not be moved: as it stands, nothing is missed." if not now.misses else "A turn is enough."
    place = None if found.mount is None else {key: getattr(found.mount, key) for key in Place.model_fields}
    return {
        "take": take.id,
        "turn": turn,
        "misses": now.misses,
        "expected": expected,
        "place": place,
        "move": _move(then, found.mount, found.counts),
    }


def _move(then: Radar, new: Radar | None, counts: Counts | None) -> str:
    if new is None or counts is None:
        return "No place within 40 m catches all."
    far = float(np.hypot(new.x_m - then.x_m, new.y_m - then.y_m))
    if not far:
        return ""
    turned = "" if new.azimuth_deg == then.azimuth_deg else f", turned to {new.azimuth_deg:.0f}°"
    return (
        f"Move it {far:.1f} m to x {new.x_m:g}, y {new.y_m:g}{turned}: nothing is missed, {counts.false_alarms} false."
    )
