"""For each object of a take what became of it, and why: the question behind every silence.

The detector is run again with one thing let go at a time (the re-arm time, a filter, the band, the line's ends): the first
that makes an object raise is the reason why it did not.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any, cast

import numpy as np

from lantern.core.events import Detector, Event
from lantern.core.objects.dials import CountDials, CrossingDials, ObjectDials, PathDials, ZoneDials
from lantern.core.objects.filters import filtered, keeps
from lantern.core.objects.kinds import Found
from lantern.core.objects.lines import Point, crossings, cuts
from lantern.core.objects.shapes import beside_line, inside, line_of, watched_regions
from lantern.core.objects.stays import stays
from lantern.core.objects.tracks import Tracks, stretch_of, usual_classes
from lantern.core.signals import Floats
from lantern.core.watching import Indices

LOOK_BACK_S = (
    2.0  # an object that first shows so soon after the line must have come over it unseen; common practice, no source
)
ORDER = (
    "raised",
    "outside_hours",
    "rearm",
    "class",
    "size",
    "confidence",
    "other_direction",
    "not_across",
    "turned_back",
    "beyond_end",
    "unseen_before",
    "too_short",
    "born_inside",
    "still_inside",
    "late",
    "part",
    "away",
)
WORDS = {
    "raised": "raised",
    "outside_hours": "raised outside its hours",
    "rearm": "within the re-arm time",
    "class": "class filtered",
    "size": "size filtered",
    "confidence": "confidence filtered",
    "other_direction": "the other direction",
    "not_across": "not far enough across",
    "turned_back": "turned back inside the band",
    "beyond_end": "passed beyond the line's end",
    "unseen_before": "never wholly in view before the line",
    "too_short": "not long enough",
    "born_inside": "first seen inside",
    "still_inside": "last seen inside",
    "late": "took too long",
    "part": "part of the way",
    "away": "did not come near",
}

Find = Callable[[Tracks, Indices, Any, Any], list[Found]]


@dataclass(frozen=True, slots=True)
class Verdict:
    """`told` puts it into words: only when somebody asks, for a take has thousands of objects."""

    code: str
    told: Callable[[], str]

    @property
    def text(self) -> str:
        return self.told()

    def as_dict(self) -> dict[str, str]:
        return {"code": self.code, "text": self.text}


@dataclass(frozen=True)
class Sighted:
    """A detector on tracks, with the events it gave, and those it would have given without its re-arm time."""

    detector: Detector
    dials: ObjectDials
    tracks: Tracks
    events: tuple[Event, ...]
    raw: tuple[Event, ...]
    find: Find

    def raising(self, *, all_samples: bool = False, **changes: Any) -> frozenset[int]:
        """Objects (indices) that raise with other dials, before the re-arm time; `all_samples`: none is filtered out."""
        dials = self.dials.model_copy(update=changes)
        regions = self.detector.regions

        def look() -> frozenset[int]:
            left = self.tracks if all_samples else filtered(self.tracks, regions, dials)
            found = self.find(left, stretch_of(left, dials.gap_s), watched_regions(regions), dials)
            return frozenset(left.object[[each.raised for each in found]].tolist())

        without = " ".join(("raising without", *changes))  # a band that is dragged does not ask anew what none would do
        key = (
            without,
            all_samples,
            self.find,
            tuple(regions),
            dials.model_dump_json(exclude={"rearm_s", "rearm_extends"}),
        )
        return self.tracks.remember(key, look)


def verdicts(sighted: Sighted) -> list[Verdict]:
    """One for each object of the take, in the order of `tracks.ids`."""
    tracks, dials = sighted.tracks, sighted.dials
    index = {name: i for i, name in enumerate(tracks.ids)}
    out: list[Verdict | None] = [None] * len(tracks.ids)

    def say(objects: Iterable[int], code: str, text: Callable[[int], str]) -> None:
        for i in objects:
            if out[i] is None:
                out[i] = Verdict(code, partial(text, i))

    by_object: dict[int, list[Event]] = {}
    for event in sighted.events:
        if event.object is not None:
            by_object.setdefault(index[event.object], []).append(event)

    say(by_object, "raised", lambda i: _raised(by_object[i]))
    if dials.rearm_s > 0:
        text = f"Raised again within the re-arm time of {dials.rearm_s:g} s: dropped."
        say([index[event.object] for event in sighted.raw if event.object is not None], "rearm", _same(text))
    _say_filtered(sighted, say)
    for code, changes, text in _let_go(dials):
        say(sighted.raising(**changes), code, _same(text))
    silent = {i for i, verdict in enumerate(out) if verdict is None}
    for i, verdict in _remaining(sighted, silent).items():
        out[i] = verdict
    away = Verdict("away", lambda: "Never came near what is watched.")
    return [verdict or away for verdict in out]


def _same(text: str) -> Callable[[int], str]:
    return lambda i: text


def _raised(events: list[Event]) -> str:
    ways = [event.direction.replace("_", " ") for event in events if event.direction is not None]
    if len(ways) > 1 and set(ways) == {"in", "out"}:
        net = ways.count("in") - ways.count("out")
        return f"Passed {', '.join(ways)}: {net:+d} in all." if net else f"Passed {', '.join(ways)}: nothing in all."
    return f"Raised{' ' + ', '.join(ways) if ways else ''} at {', '.join(f'{e.raised_s:.1f}' for e in events)} s."


def _say_filtered(sighted: Sighted, say: Callable[[Iterable[int], str, Callable[[int], str]], None]) -> None:
    """Those that raise once nothing is filtered, by the filter that took most of their samples."""
    dials, tracks = sighted.dials, sighted.tracks
    stays = keeps(tracks, sighted.detector.regions, dials)
    if all(each.all() for each in stays.values()):
        return
    would = sighted.raising(all_samples=True)
    gone = np.flatnonzero(~np.logical_and.reduce(list(stays.values())))
    lost = {
        name: np.bincount(tracks.object[gone][~each[gone]], minlength=len(tracks.ids)) for name, each in stays.items()
    }
    spans, usual = tracks.spans, usual_classes(tracks).tolist()
    figures: Mapping[str, Callable[[int], str]] = {
        "class": lambda i: f"It is taken for {tracks.class_name(usual[i])}; {', '.join(dials.classes or ())} count.",
        "size": lambda i: f"{_heights(tracks, i)}: outside the size limits.",
        "confidence": lambda i: (
            f"Confidence {np.median(tracks.confidence[spans[i] : spans[i + 1]]):.2f}, below {dials.min_confidence}."
        ),
    }
    for name in ("class", "size", "confidence"):
        most = {i for i in would if lost[name][i] and lost[name][i] == max(each[i] for each in lost.values())}
        say(most, name, figures[name])


def _heights(tracks: Tracks, i: int) -> str:
    span = slice(tracks.spans[i], tracks.spans[i + 1])
    low_px, high_px = tracks.box[span, 3].min(), tracks.box[span, 3].max()
    text = "" if tracks.on_plan else f"{low_px:.0f} to {high_px:.0f} px high"
    known = tracks.height_m[span][~np.isnan(tracks.height_m[span])] if tracks.height_m is not None else np.zeros(0)
    if known.size:
        text += f"{', ' if text else ''}{known.min():.2f} to {known.max():.2f} m tall"
    return text


def _let_go(dials: ObjectDials) -> list[tuple[str, dict[str, Any], str]]:
    """Changes of the dials that would make an object raise, and what that says of it; the first that does is the reason."""
    out: list[tuple[str, dict[str, Any], str]] = []
    if isinstance(dials, CrossingDials) and dials.direction != "both":
        out.append(("other_direction", {"direction": "both"}, f"Crossed, but not {dials.direction.replace('_', ' ')}."))
    if isinstance(dials, CrossingDials | CountDials):
        if dials.across_percent > 0:
            text = f"Crossed, but never with {dials.across_percent:g} % of its box beyond the line."
            out.append(("not_across", {"across_percent": 0.0}, text))
        if dials.band > 0:
            text = f"Cut the line, but never went more than {dials.band:g} px beyond it on both sides."
            out.append(("turned_back", {"band": 0.0}, text))
    if isinstance(dials, ZoneDials) and dials.enter_after_s > 0:
        text = f"Was inside, but never for {dials.enter_after_s:g} s without a sample outside."
        out.append(("too_short", {"enter_after_s": 0.0}, text))
    if isinstance(dials, ZoneDials) and dials.when == "leave" and dials.leave_after_s > 0:
        text = f"Went out, but was not outside for {dials.leave_after_s:g} s before it came back or was lost."
        out.append(("still_inside", {"leave_after_s": 0.0}, text))
    if isinstance(dials, ZoneDials) and dials.when == "enter" and not dials.born_inside:
        out.append(("born_inside", {"born_inside": True}, "Was inside when first seen, so it did not come in."))
    if isinstance(dials, PathDials):
        out.append(("late", {"within_s": 86_400.0}, f"Took all steps, but not within {dials.within_s:g} s."))
    return out


def _remaining(sighted: Sighted, rest: set[int]) -> dict[int, Verdict]:
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
