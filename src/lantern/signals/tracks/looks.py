"""A first look at objects on their way: a table of boxes, ONVIF metadata, points on a plan."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from lantern.core.tracks import Tracks
from lantern.signals.looks import FRAME_RATE, PICTURE, Look, Question, Unread
from lantern.signals.tracks.mot import read_mot, read_plan_tracks
from lantern.signals.tracks.onvif import begin_of_stream, read_onvif

SCRIPT = "/static/signals/tracks/look.js"
DRAWN_WAYS, DRAWN_POINTS = 120, 24
NORMALISED_PX = 1000  # metadata in normalised coordinates, looked at in a picture of so many pixels


def look_at_boxes(unread: Unread) -> Look:
    path = unread.path
    tracks = read_mot(path, where=path.name, fps=1.0, limits=unread.limits)
    right, bottom = (tracks.box[:, :2] + tracks.box[:, 2:]).max(axis=0).tolist()
    frames = round(tracks.length_s) + 1
    facts = [
        f"{len(tracks)} boxes of {len(tracks.ids)} objects in {frames} frames",
        f"boxes reach to x {right:.0f}, y {bottom:.0f}",
    ]
    if tracks.classes:
        facts.append(f"class numbers {', '.join(tracks.classes)}")
    stills = unread.pictures_beside()
    numbers = [name for name in tracks.classes if name.isdigit()]
    return Look(
        kinds=("tracks",),
        facts=facts,
        guess={**_picture_for(right, bottom), "classes": dict.fromkeys(numbers, "")},
        given={"still": stills[0]} if stills else {},
        asked={"tracks": [FRAME_RATE, *PICTURE, *_classes(numbers)]},
        drawn={"tracks": {"script": SCRIPT, "ways": _ways(tracks), "right": right, "bottom": bottom}},
        samples=frames,
    )


def _classes(numbers: Sequence[str]) -> list[Question]:
    note = "may stay empty"
    return (
        [Question("classes", "What the class numbers mean", "each", names=tuple(numbers), note=note)] if numbers else []
    )


def _picture_for(right: float, bottom: float) -> dict[str, int]:
    """The smallest usual picture that holds all boxes. Common sizes of video; common practice, no source."""
    for width, height in ((640, 480), (768, 576), (1280, 720), (1920, 1080), (2560, 1440), (3840, 2160)):
        if right <= width * 1.02 and bottom <= height * 1.02:
            return {"width": width, "height": height}
    return {}


def look_at_plan(unread: Unread) -> Look:
    path = unread.path
    tracks = read_plan_tracks(path, where=path.name, limits=unread.limits)
    facts = [f"{len(tracks)} points of {len(tracks.ids)} objects on a plan, over {tracks.length_s:.0f} s"]
    right, bottom = tracks.box[:, :2].max(axis=0).tolist() if len(tracks) else (1.0, 1.0)
    drawn = {"script": SCRIPT, "ways": _ways(tracks), "right": right, "bottom": bottom}
    return Look(
        ("plan-tracks",), facts, {}, {"plan-tracks": []}, {"plan-tracks": drawn}, len(tracks), {"": tracks.length_s}
    )


def look_at_stream(unread: Unread) -> Look:
    path = unread.path
    begins = begin_of_stream(path, where=path.name)
    side = {"width": NORMALISED_PX, "height": NORMALISED_PX}
    tracks = read_onvif(path, where=path.name, start=begins, limits=unread.limits, **side)
    facts = [f"{len(tracks)} boxes of {len(tracks.ids)} objects over {tracks.length_s:.0f} s, as ONVIF metadata"]
    if tracks.classes:
        facts.append(f"classes {', '.join(tracks.classes)}")
    drawn = {
        "script": SCRIPT,
        "ways": _ways(tracks),
        "right": float(NORMALISED_PX),
        "bottom": float(NORMALISED_PX),
        "normalised": True,
    }
    return Look(
        kinds=("tracks",),
        facts=facts,
        guess={"width": 1920, "height": 1080},
        asked={"tracks": [*PICTURE]},
        drawn={"tracks": drawn},
        samples=len(tracks),
        length_s={"": tracks.length_s},
        begins={"": begins.isoformat()},
    )


def _ways(tracks: Tracks) -> list[list[list[float]]]:
    """Some objects' ways, by their feet."""
    ends = np.flatnonzero(np.diff(np.append(tracks.object, -1)))
    starts = np.concatenate(([0], ends[:-1] + 1)) if ends.size else ends
    longest = np.argsort(starts - ends)[:DRAWN_WAYS]
    foot = np.column_stack((tracks.box[:, 0] + tracks.box[:, 2] / 2, tracks.box[:, 1] + tracks.box[:, 3]))
    return [_few(foot[starts[i] : ends[i] + 1]) for i in longest.tolist()]


def _few(points: NDArray[np.float64]) -> list[list[float]]:
    at = np.linspace(0, len(points) - 1, min(DRAWN_POINTS, len(points))).astype(int)
    out: list[list[float]] = np.round(points[at], 1).tolist()
    return out
