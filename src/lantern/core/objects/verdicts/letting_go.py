"""For each object of a take what became of it, and why: the question behind every silence.

The detector is run again with one thing let go at a time (the re-arm time, a filter, the band, the line's ends): the first
that makes an object raise is the reason why it did not.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from functools import partial
from typing import Any

import numpy as np

from lantern.core.events import Event
from lantern.core.objects.dials import CountDials, CrossingDials, ObjectDials, PathDials, ZoneDials
from lantern.core.objects.filters import keeps
from lantern.core.objects.verdicts.nearness import remaining
from lantern.core.objects.verdicts.sighted import Sighted, Verdict
from lantern.core.tracks import Tracks, usual_classes


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
    for i, verdict in remaining(sighted, silent).items():
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
