"""The kinds `crossing`, `zone`, `count` and `path`: tracks to raises, each object by itself."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any, cast

import numpy as np

from lantern.core.events import Event, Region
from lantern.core.objects.dials import CountDials, CrossingDials, PathDials, ZoneDials
from lantern.core.objects.lines import across, crossings
from lantern.core.objects.shapes import beside_line, inside, line_of
from lantern.core.objects.tracks import Tracks
from lantern.core.rule import TIME_TOLERANCE_S, ClearedBy
from lantern.core.watching import Bools, Indices, has_held


@dataclass(frozen=True, slots=True)
class Found:
    """A raise by indices into the tracks, before the re-arm time. `peak` in the kind's own unit."""

    region: str
    raised: int
    cleared: int | None
    by: ClearedBy
    peak: float
    direction: str | None = None
    why: dict[str, Any] = field(default_factory=dict)


def event_of(detector: str, tracks: Tracks, found: Found) -> Event:
    return Event(
        detector=detector,
        region=found.region,
        raised_s=float(tracks.t_s[found.raised]),
        cleared_s=None if found.cleared is None else float(tracks.t_s[found.cleared]),
        cleared_by=found.by,
        repeat=False,
        peak=found.peak,
        object=tracks.ids[int(tracks.object[found.raised])],
        direction=found.direction,
        why=found.why | {"class": tracks.class_at(found.raised)},
    )


def in_order(events: Sequence[Event]) -> list[Event]:
    """By time of the raise, then region, then object."""
    return sorted(events, key=lambda e: (e.raised_s, e.detector, e.region, str(e.object)))


def rearmed(events: Sequence[Event], rearm_s: float) -> list[Event]:
    """What falls inside the re-arm time of the same region and object is dropped, not delayed."""
    last: dict[tuple[str, int | str | None], float] = {}
    out = []
    for event in sorted(events, key=lambda e: e.raised_s):
        key = (event.region, event.object)
        if key not in last or event.raised_s - last[key] >= rearm_s - TIME_TOLERANCE_S:
            last[key] = event.raised_s
            out.append(event)
    return out


# ---- crossing and count ----------------------------------------------------------------------------------------------


def find_crossings(
    tracks: Tracks, starts: Indices, regions: Sequence[Region], dials: CrossingDials | CountDials
) -> list[Found]:
    return [found for region in regions for found in _crossed(tracks, starts, region, dials)]


def _crossed(tracks: Tracks, starts: Indices, region: Region, dials: CrossingDials | CountDials) -> Iterator[Found]:
    where = beside_line(tracks, dials, region)
    came = crossings(where, starts, dials.band)
    raised: list[int | None] = [crossing.at for crossing in came]
    if dials.across_percent > 0 and came:
        raised = across(tracks.box, where.s, starts, came, *line_of(region), dials.band, dials.across_percent)
    known = [(crossing, at) for crossing, at in zip(came, raised, strict=True) if at is not None]
    peaks = np.abs(where.s[[at for _, at in known]])
    for (crossing, at), peak in zip(known, peaks.tolist(), strict=True):
        direction = direction_of(crossing.direction, dials)
        if direction is not None:
            yield Found(region.name, at, at, "reading", peak, direction, {"band": dials.band})


def direction_of(crossed: str, dials: CrossingDials | CountDials) -> str | None:
    """The direction as the kind words it; None where it is not asked for."""
    if isinstance(dials, CountDials):
        return "in" if (crossed == "a_to_b") != dials.reverse else "out"
    return crossed if dials.direction in ("both", crossed) else None


# ---- zone ------------------------------------------------------------------------------------------------------------


def find_visits(tracks: Tracks, starts: Indices, regions: Sequence[Region], dials: ZoneDials) -> list[Found]:
    return [found for region in regions for found in _visits(tracks, starts, region, dials)]


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
            yield Found(region.name, at, at, "reading", 0.0, None, {"when": dials.when})
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
            yield Found(
                region.name, begin + int(due[0]), cleared, cast(ClearedBy, by), stayed, None, {"when": dials.when}
            )


# ---- path ------------------------------------------------------------------------------------------------------------


def find_paths(tracks: Tracks, starts: Indices, regions: Sequence[Region], dials: PathDials) -> list[Found]:
    names = {"steps": [region.name for region in regions]}
    return [Found("path", at, at, "reading", took, None, names) for at, took in _paths(tracks, starts, regions, dials)]


def _paths(tracks: Tracks, starts: Indices, regions: Sequence[Region], dials: PathDials) -> Iterator[tuple[int, float]]:
    """Only samples at which some step is taken are looked at one by one."""
    taken = np.stack([_steps(tracks, starts, region, dials) for region in regions])
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
            yield at, t - finished


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


def _steps(tracks: Tracks, starts: Indices, region: Region, dials: PathDials) -> Bools:
    if region.shape != "line":
        return inside(tracks, dials, region)
    out = np.zeros(len(tracks), dtype=np.bool_)
    for crossing in crossings(beside_line(tracks, dials, region), starts, dials.band):
        out[crossing.at] |= crossing.direction == "a_to_b"
    return out
