"""Tracks out to files: the MOTChallenge layout where frames are even, frames of an ONVIF stream where they are not, points on a plan."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator

import numpy as np

from lantern.core.tracks import Seen, Tracks
from lantern.formats.tables import guarded
from lantern.formats.text import exact
from lantern.signals.tracks.mot import HEIGHT_COLUMN, PLAN_COLUMNS

EVEN_S = 1e-9  # a file of even frames says its times in nine decimals


def fits_mot(tracks: Tracks) -> bool:
    """Return whether its frames are even, its objects numbers, and no heights told."""
    if not tracks.fps or tracks.height_m is not None or len(tracks) == 0:
        return False
    if not all(isinstance(name, int) for name in tracks.ids):
        return False
    times = np.append(tracks.t_s, tracks.last_s)
    even = np.abs(np.round(np.round(times * tracks.fps) / tracks.fps, 9) - times).max() <= EVEN_S
    return bool(even) and tracks.last_s <= float(tracks.t_s.max()) + EVEN_S  # the layout has no frame that shows nobody


def write_mot(tracks: Tracks) -> str:
    """The file that `read_mot` reads, by frame; class numbers from 1, as its classes stand, 0 where unknown."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    assert tracks.fps is not None
    frame = np.round(tracks.t_s * tracks.fps).astype(np.int64) + 1
    for at in np.lexsort((tracks.object, frame)).tolist():
        box = [exact(v) for v in tracks.box[at].tolist()]
        confidence = exact(float(tracks.confidence[at]))
        name = tracks.ids[int(tracks.object[at])]
        writer.writerow([int(frame[at]), name, *box, confidence, int(tracks.label[at]) + 1 or -1, 1])
    return out.getvalue()


def frames_of_tracks(tracks: Tracks) -> Iterator[tuple[float, list[Seen]]]:
    """(t, all that is seen) in order of time; the last frame too, if it shows nobody."""
    order = np.lexsort((tracks.object, tracks.t_s))
    t_s = tracks.t_s[order]
    edges = np.flatnonzero(np.diff(t_s) > 0) + 1
    for index in np.split(order, edges) if order.size else ():
        yield float(tracks.t_s[index[0]]), [_seen(tracks, at) for at in index.tolist()]
    if tracks.last_s > (float(t_s[-1]) if t_s.size else -1.0):
        yield tracks.last_s, []


def _seen(tracks: Tracks, at: int) -> Seen:
    left, top, width, height = tracks.box[at].tolist()
    tall = None if tracks.height_m is None or np.isnan(tracks.height_m[at]) else float(tracks.height_m[at])
    label = int(tracks.label[at])
    word = tracks.classes[label] if label >= 0 else ""
    return Seen(
        tracks.ids[int(tracks.object[at])], (left, top, width, height), float(tracks.confidence[at]), word, tall
    )


def write_plan_tracks(tracks: Tracks) -> str:
    """The file that `read_plan_tracks` reads."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    tall = tracks.height_m
    writer.writerow(PLAN_COLUMNS if tall is None else (*PLAN_COLUMNS, HEIGHT_COLUMN))
    for at in np.lexsort((tracks.object, tracks.t_s)).tolist():
        seen = _seen(tracks, at)
        row = [exact(float(tracks.t_s[at])), guarded(str(seen.id)), exact(seen.box[0]), exact(seen.box[1])]
        row.append(guarded(seen.label))
        if tall is not None:
            row.append("" if seen.height_m is None else exact(seen.height_m))
        writer.writerow(row)
    return out.getvalue()
