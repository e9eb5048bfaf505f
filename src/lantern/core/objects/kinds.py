"""The kinds `crossing`, `zone`, `count` and `path`: tracks to events, each object by itself."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, cast

import numpy as np
import shapely

from lantern.core.events import Event, Region
from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.objects.dials import CountDials, CrossingDials, ObjectDials, PathDials, ZoneDials
from lantern.core.objects.lines import Point, across, crossings, distance
from lantern.core.objects.tracks import Tracks, majority_so_far, stretch_of
from lantern.core.rule import TIME_TOLERANCE_S, ClearedBy
from lantern.core.signals import Floats
from lantern.core.watching import Bools, Indices, has_held


def filtered(tracks: Tracks, dials: ObjectDials) -> Tracks:
    """The samples that count: sure enough, neither too low nor too high, of a class that is asked for."""
    keep = np.ones(len(tracks), dtype=np.bool_)
    height = tracks.box[:, 3]
    if dials.min_confidence is not None:
        keep &= tracks.confidence >= dials.min_confidence
    if dials.min_height_px is not None and not tracks.on_plan:
        keep &= height >= dials.min_height_px
    if dials.max_height_px is not None and not tracks.on_plan:
        keep &= height <= dials.max_height_px
    left = tracks if keep.all() else tracks.kept(keep)
    if dials.classes is None:
        return left
    wanted = [i for i, name in enumerate(left.classes) if name in dials.classes]
    return left.kept(np.isin(majority_so_far(left), wanted))


def line_of(region: Region) -> tuple[Point, Point]:
    if region.shape != "line" or len(region.points) != 2:
        what = f"a {region.shape} of {len(region.points)} points"
        raise Refused([Fault(f"region {region.name}", what, "a line of two points")])
    a, b = region.points
    if a == b:
        raise Refused([Fault(f"region {region.name}", "its two points are the same", "two different points")])
    return a, b


def area_of(region: Region) -> shapely.Polygon:
    faults = FaultList()
    where = f"region {region.name}"
    if region.shape == "box" and len(region.points) == 2:
        (x0, y0), (x1, y1) = region.points
        area = shapely.box(min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1))
    elif region.shape == "polygon" and len(region.points) >= 3:
        area = shapely.Polygon(region.points)
    else:
        raise Refused([Fault(where, f"a {region.shape} of {len(region.points)} points", "a box or a polygon")])
    if not area.is_valid or area.area == 0:
        faults.add(where, "crosses itself or has no area", "edges that do not cross, and an area")
    faults.refuse_if_any()
    return area


def inside(tracks: Tracks, dials: ObjectDials, region: Region) -> Bools:
    """(n,): is each sample's anchor inside the region, its edge included (shapely decides)?"""
    area = area_of(region)
    shapely.prepare(area)
    x, y = tracks.anchors(dials.anchor).T
    return np.asarray(shapely.intersects_xy(area, x, y))


# ---- events ----------------------------------------------------------------------------------------------------------

Found = tuple[int, int | None, ClearedBy, float, str | None]  # raised and cleared sample, by what, peak, direction


def events_of(kind: str, detector: str, tracks: Tracks, regions: Sequence[Region], dials: ObjectDials) -> list[Event]:
    """Events of all objects, by time of the raise, then region, then object."""
    left = filtered(tracks, dials)
    starts = stretch_of(left, dials.gap_s)
    out: list[Event] = []
    if kind == "path":
        out = [
            _event(detector, "path", left, found, {"steps": [r.name for r in regions]})
            for found in _paths(left, starts, regions, cast(PathDials, dials))
        ]
        return sorted(_rearmed(out, dials.rearm_s), key=_order)
    for region in regions:
        if kind in ("crossing", "count"):
            lines = cast(CrossingDials | CountDials, dials)
            out += [
                _event(detector, region.name, left, f, {"band": lines.band})
                for f in _crossed(left, starts, region, lines)
            ]
        else:
            zone = cast(ZoneDials, dials)
            out += [
                _event(detector, region.name, left, f, {"when": zone.when}) for f in _visits(left, starts, region, zone)
            ]
    return sorted(_rearmed(out, dials.rearm_s), key=_order)


def _order(event: Event) -> tuple[float, str, str, str]:
    return event.raised_s, event.detector, event.region, str(event.object)


def _event(detector: str, region: str, tracks: Tracks, found: Found, why: dict[str, Any]) -> Event:
    raised, cleared, by, peak, direction = found
    return Event(
        detector=detector,
        region=region,
        raised_s=float(tracks.t_s[raised]),
        cleared_s=None if cleared is None else float(tracks.t_s[cleared]),
        cleared_by=by,
        repeat=False,
        peak=peak,
        object=tracks.ids[int(tracks.object[raised])],
        direction=direction,
        why=why | {"class": _class_at(tracks, raised)},
    )


def _class_at(tracks: Tracks, at: int) -> str:
    label = int(tracks.label[at])
    return tracks.classes[label] if label >= 0 else "unknown"


def _rearmed(events: list[Event], rearm_s: float) -> list[Event]:
    """What falls inside the re-arm time of the same region and object is dropped, not delayed."""
    last: dict[tuple[str, int | str | None], float] = {}
    out = []
    for event in sorted(events, key=lambda e: e.raised_s):
        key = (event.region, event.object)
        if key not in last or event.raised_s - last[key] >= rearm_s - TIME_TOLERANCE_S:
            last[key] = event.raised_s
            out.append(event)
    return out


def _crossed(tracks: Tracks, starts: Indices, region: Region, dials: CrossingDials | CountDials) -> Iterator[Found]:
    a, b = line_of(region)
    points = tracks.anchors(dials.anchor)
    for crossing in crossings(points, starts, a, b, dials.band):
        direction: str = crossing.direction
        if isinstance(dials, CountDials):
            direction = "in" if (direction == "a_to_b") != dials.reverse else "out"
        elif dials.direction not in ("both", direction):
            continue
        at: int | None = crossing.at
        if dials.across_percent > 0:
            at = across(tracks.box, points, starts, crossing, a, b, dials.band, dials.across_percent)
        if at is not None:
            yield at, at, "reading", abs(float(distance(points[at : at + 1], a, b)[0])), direction


def _visits(tracks: Tracks, starts: Indices, region: Region, dials: ZoneDials) -> Iterator[Found]:
    within = inside(tracks, dials, region)
    n = within.size
    if n == 0:
        return
    first = starts == np.arange(n)
    before = np.concatenate(([False], within[:-1])) & ~first
    if dials.when in ("enter", "leave"):
        came = within & ~before & (~first | dials.born_inside) if dials.when == "enter" else ~within & before
        for at in np.flatnonzero(came).tolist():
            yield at, at, "reading", 0.0, None
        return
    held = has_held(within, tracks.t_s, starts, dials.dwell_s)
    begins = np.flatnonzero(within & ~before)
    last_of_stretch = np.append(np.flatnonzero(np.diff(starts) > 0), n - 1)
    for begin in begins.tolist():
        end = begin
        stop = int(last_of_stretch[np.searchsorted(last_of_stretch, begin)])
        outside = np.flatnonzero(~within[begin : stop + 1])
        end = begin + int(outside[0]) - 1 if outside.size else stop
        due = np.flatnonzero(held[begin : end + 1])
        if due.size:
            stayed = float(tracks.t_s[end] - tracks.t_s[begin])
            cleared, by = (end + 1, "reading") if outside.size else (end, "lost")
            yield begin + int(due[0]), cleared, cast(ClearedBy, by), stayed, None


def _paths(tracks: Tracks, starts: Indices, regions: Sequence[Region], dials: PathDials) -> Iterator[Found]:
    """Only samples at which some step is taken are looked at one by one."""
    points = tracks.anchors(dials.anchor)
    taken = np.stack([_steps(tracks, points, starts, region, dials) for region in regions])
    count = len(regions)
    began: list[float | None] = []
    stretch = -1
    for at in np.flatnonzero(taken.any(axis=0)).tolist():
        if starts[at] != stretch:
            stretch, began = int(starts[at]), [None] * count
        t = float(tracks.t_s[at])
        here = taken[:, at]
        began = advance(began, here.tolist(), t, strict=dials.strict)
        finished = began[-1]
        if finished is not None and t - finished <= dials.within_s + TIME_TOLERANCE_S:
            began = [None] * count
            yield at, at, "reading", t - finished, None


def advance(began: Sequence[float | None], here: Sequence[bool], t: float, *, strict: bool) -> list[float | None]:
    """One sample of an object on its path: `began[k]` is when the latest chain that has taken steps 0 .. k took its first."""
    out = list(began)
    for k in range(len(out) - 1, 0, -1):
        if here[k] and began[k - 1] is not None:
            out[k] = began[k - 1] if out[k] is None else max(cast(float, out[k]), cast(float, began[k - 1]))
    if here[0]:
        out[0] = t
    if strict and any(here) and out == list(began):
        reached = max((k for k, start in enumerate(began) if start is not None), default=-1)
        if any(on and k not in (reached, reached + 1) for k, on in enumerate(here)):
            return [None] * len(out)
    return out


def _steps(tracks: Tracks, points: Floats, starts: Indices, region: Region, dials: PathDials) -> Bools:
    if region.shape != "line":
        return inside(tracks, dials, region)
    a, b = line_of(region)
    out = np.zeros(len(tracks), dtype=np.bool_)
    for crossing in crossings(points, starts, a, b, dials.band):
        out[crossing.at] |= crossing.direction == "a_to_b"
    return out
