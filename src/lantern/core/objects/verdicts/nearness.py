"""Of objects that nothing let go would make raise: how near they came, and what they lacked."""

from __future__ import annotations

from collections.abc import Collection
from functools import partial
from typing import cast

import numpy as np

from lantern.core.objects.dials import CountDials, CrossingDials, PathDials, ZoneDials
from lantern.core.objects.filters import filtered
from lantern.core.objects.lines import Point, crossings, cuts
from lantern.core.objects.shapes import beside_line, inside, line_of, watched_regions
from lantern.core.objects.stays import stays
from lantern.core.objects.verdicts.sighted import Sighted, Verdict
from lantern.core.signals import Floats
from lantern.core.tracks import Tracks, stretch_of
from lantern.core.watching import Indices

LOOK_BACK_S = (
    2.0  # an object that first shows so soon after the line must have come over it unseen; common practice, no source
)


def remaining(sighted: Sighted, rest: set[int]) -> dict[int, Verdict]:
    """The verdicts of those of `rest` (indices of objects) that came near at all."""
    dials = sighted.dials
    tracks = filtered(sighted.tracks, sighted.detector.regions, dials)
    if isinstance(dials, CrossingDials | CountDials):
        return _beside_lines(sighted, tracks, rest, dials)
    if isinstance(dials, ZoneDials):
        return _about_zones(sighted, tracks, rest, dials)
    return _on_paths(sighted, tracks, rest, cast(PathDials, dials))


def _beside_lines(
    sighted: Sighted, tracks: Tracks, rest: set[int], dials: CrossingDials | CountDials
) -> dict[int, Verdict]:
    out: dict[int, Verdict] = {}

    def say(objects: Collection[int], code: str, text: str) -> None:
        for i in rest.intersection(objects):
            out.setdefault(i, Verdict(code, lambda: text))

    for region in watched_regions(sighted.detector.regions):
        changed = beside_line(tracks, dials, region).changed_sides(dials.band)
        say(tracks.object[changed].tolist(), "beyond_end", f"Changed sides, but passed beyond an end of {region.name}.")
        unseen = _unseen(tracks, dials.anchor, *line_of(region))
        text = f"First shows cut off by the picture's edge, just beyond {region.name}: it was never wholly in view before it."
        say(unseen, "unseen_before", text)
    return out


def _unseen(tracks: Tracks, anchor: str, a: Point, b: Point) -> set[int]:
    """Objects whose first box is cut off by the edge and whose way, followed back a little, comes over the line."""
    objects, pairs = tracks.remember(("ways back", anchor), partial(_ways_back, tracks, anchor))
    touched = cuts(pairs, np.repeat(np.arange(objects.size), 2), a, b)[1::2]
    return set(objects[touched].tolist())


def _ways_back(tracks: Tracks, anchor: str) -> tuple[Indices, Floats]:
    """(k,) objects that first show cut off by the edge; (2k, 2) where each must have been a little before, and is then."""
    spans = tracks.spans
    first, last = spans[:-1], spans[1:] - 1
    begins = tracks.only(first[last > first])
    objects = begins.object[begins.cut_off()]
    at, soon = first[objects], np.minimum(first + 4, last)[objects]
    points, t_s = tracks.anchors(anchor), tracks.t_s
    speed = (points[soon] - points[at]) / np.maximum(t_s[soon] - t_s[at], 1e-9)[:, None]
    return objects, np.stack((points[at] - speed * LOOK_BACK_S, points[at]), axis=1).reshape(-1, 2)


def _about_zones(sighted: Sighted, tracks: Tracks, rest: set[int], dials: ZoneDials) -> dict[int, Verdict]:
    longest = np.full(len(tracks.ids), -np.inf)
    starts = stretch_of(tracks, dials.gap_s)
    any_run = dials.model_copy(update={"enter_after_s": 0.0})
    for region in watched_regions(sighted.detector.regions):
        for stay in stays(tracks, inside(tracks, dials, region), starts, any_run):
            i = tracks.object[stay.first]
            longest[i] = max(longest[i], tracks.t_s[stay.last] - tracks.t_s[stay.first])
    out: dict[int, Verdict] = {}
    for i in rest.intersection(np.flatnonzero(longest >= 0).tolist()):
        if dials.when == "inside":
            out[i] = Verdict("too_short", partial(_short, float(longest[i]), dials.dwell_s))
        elif dials.when == "leave":
            out[i] = Verdict("still_inside", lambda: "Was inside when last seen, so it did not leave.")
    return out


def _short(longest_s: float, dwell_s: float) -> str:
    return f"Inside for {longest_s:.1f} s at most, {dwell_s - longest_s:.1f} s short of {dwell_s:g} s."


def _on_paths(sighted: Sighted, tracks: Tracks, rest: set[int], dials: PathDials) -> dict[int, Verdict]:
    starts = stretch_of(tracks, dials.gap_s)
    regions = watched_regions(sighted.detector.regions)
    took: list[set[int]] = []
    for region in regions:
        if region.shape == "line":
            came = crossings(beside_line(tracks, dials, region), starts, dials.band)
            at = [crossing.at for crossing in came if crossing.direction == "a_to_b"]
            took.append(set(tracks.object[at].tolist()) if at else set())
        else:
            took.append(set(np.unique(tracks.object[inside(tracks, dials, region)]).tolist()))

    def part(i: int) -> str:
        done = [region.name for region, objects in zip(regions, took, strict=True) if i in objects]
        return f"{len(done)} of {len(regions)} steps ({', '.join(done)}), not all of them in order."

    return {i: Verdict("part", partial(part, i)) for i in rest.intersection(set().union(*took))}
