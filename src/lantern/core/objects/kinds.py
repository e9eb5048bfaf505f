"""The kinds `crossing`, `zone`, `count` and `path`: tracks to raises, each object by itself."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any, cast

import numpy as np

from lantern.core.events import Event
from lantern.core.objects.dials import CountDials, CrossingDials, ObjectDials, PathDials, ZoneDials
from lantern.core.objects.lines import across, crossings
from lantern.core.objects.region import ObjectRegion
from lantern.core.objects.shapes import beside_line, inside, shares_beyond_line
from lantern.core.objects.stays import stays
from lantern.core.rearm import rearmed
from lantern.core.rule import TIME_TOLERANCE_S, ClearedBy
from lantern.core.tracks import Tracks
from lantern.core.watching import Bools, Indices


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
    """Return the events by the time of the raise, then by region, then by object."""
    return sorted(events, key=lambda e: (e.raised_s, e.detector, e.region, str(e.object)))


def kept_of(events: Sequence[Event], dials: ObjectDials) -> list[Event]:
    """What falls inside the re-arm time of the same region and object is dropped, not delayed."""
    last: dict[tuple[str, int | str | None], float] = {}
    out = []
    for event in sorted(events, key=lambda e: e.raised_s):
        key = (event.region, event.object)
        passes, last[key] = rearm(last.get(key), event.raised_s, dials)
        if passes:
            out.append(event)
    return out


def rearm(since_s: float | None, t: float, dials: ObjectDials) -> tuple[bool, float]:
    """Return whether a raise at `t` passes, and since when the re-arm time runs after it. `since_s`: since when it runs
    before; None: not.
    """
    passes = rearmed(t, since_s, dials.rearm_s)
    return passes, t if passes or since_s is None or dials.rearm_extends else since_s


# ---- crossing and count ----------------------------------------------------------------------------------------------


def find_crossings(
    tracks: Tracks, starts: Indices, regions: Sequence[ObjectRegion], dials: CrossingDials | CountDials
) -> list[Found]:
    return [found for region in regions for found in _crossed(tracks, starts, region, dials)]


def _crossed(
    tracks: Tracks, starts: Indices, region: ObjectRegion, dials: CrossingDials | CountDials
) -> Iterator[Found]:
    where = beside_line(tracks, dials, region)
    came = crossings(where, starts, dials.band)
    raised: list[int | None] = [crossing.at for crossing in came]
    if dials.across_percent > 0 and came:
        beyond = shares_beyond_line(tracks, dials, region)
        raised = across(where, starts, came, beyond, dials.band, dials.across_percent)
    known = [(crossing, at) for crossing, at in zip(came, raised, strict=True) if at is not None]
    peaks = np.abs(where.s[[at for _, at in known]])
    words = {crossed: direction_of(crossed, dials) for crossed in ("a_to_b", "b_to_a")}
    why = {"band": dials.band}
    for (crossing, at), peak in zip(known, peaks.tolist(), strict=True):
        direction = words[crossing.direction]
        if direction is not None:
            yield Found(region.name, at, at, "reading", peak, direction, why)


def direction_of(crossed: str, dials: CrossingDials | CountDials) -> str | None:
    """The direction as the kind words it; None where it is not asked for."""
    if isinstance(dials, CountDials):
        return "in" if (crossed == "a_to_b") != dials.reverse else "out"
    return crossed if dials.direction in ("both", crossed) else None


# ---- zone ------------------------------------------------------------------------------------------------------------


def find_visits(tracks: Tracks, starts: Indices, regions: Sequence[ObjectRegion], dials: ZoneDials) -> list[Found]:
    return [found for region in regions for found in _visits(tracks, starts, region, dials)]


def _visits(tracks: Tracks, starts: Indices, region: ObjectRegion, dials: ZoneDials) -> Iterator[Found]:
    within = inside(tracks, dials, region)
    t_s = tracks.t_s
    why = {"when": dials.when}
    for stay in stays(tracks, within, starts, dials):
        from_s, until_s = float(t_s[stay.first]), float(t_s[stay.last])
        if dials.when == "enter" and (not stay.born or dials.born_inside):
            yield Found(region.name, stay.come, stay.come, "reading", 0.0, None, why | {"inside_from_s": from_s})
        elif dials.when == "leave" and stay.gone is not None:
            told = {"inside_until_s": until_s, "stayed_s": round(until_s - from_s, 6)}
            yield Found(region.name, stay.gone, stay.gone, "reading", 0.0, None, why | told)
        elif dials.when == "inside":
            counting = stay.come + np.flatnonzero(within[stay.come : stay.last + 1])
            due = counting[t_s[counting] - from_s >= dials.dwell_s - TIME_TOLERANCE_S]
            if due.size:
                cleared, by = (stay.end, "lost") if stay.gone is None else (stay.gone, "reading")
                yield Found(region.name, int(due[0]), cleared, cast(ClearedBy, by), until_s - from_s, None, why)


# ---- path ------------------------------------------------------------------------------------------------------------


def find_paths(tracks: Tracks, starts: Indices, regions: Sequence[ObjectRegion], dials: PathDials) -> list[Found]:
    names = {"steps": [region.name for region in regions]}
    return [Found("path", at, at, "reading", took, None, names) for at, took in _paths(tracks, starts, regions, dials)]


def _paths(
    tracks: Tracks, starts: Indices, regions: Sequence[ObjectRegion], dials: PathDials
) -> Iterator[tuple[int, float]]:
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


def _steps(tracks: Tracks, starts: Indices, region: ObjectRegion, dials: PathDials) -> Bools:
    if region.shape != "line":
        return inside(tracks, dials, region)
    out = np.zeros(len(tracks), dtype=np.bool_)
    for crossing in crossings(beside_line(tracks, dials, region), starts, dials.band):
        out[crossing.at] |= crossing.direction == "a_to_b"
    return out
