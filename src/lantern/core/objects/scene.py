"""What a scene shows beside its tracks: where people are and stay, what each class would add, and the life of one object."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from lantern.core.objects.lines import distance
from lantern.core.objects.shapes import inside, line_of, watched_regions
from lantern.core.objects.subject import TrackSubject
from lantern.core.scoring.marks import Mark
from lantern.core.signals import Floats
from lantern.core.tracks import Tracks, usual_classes
from lantern.core.tuning.wanted import still_wanted
from lantern.core.watching import Indices

CELL_PX = 16
MOST_CELLS = 128


def presence(tracks: Tracks, anchor: str) -> Floats:
    """(rows, columns): seconds that all anchors together spent in each cell of the picture."""
    cell, shape = _cells(tracks, anchor)
    counts = np.bincount(cell, minlength=shape[0] * shape[1])
    return np.asarray(counts.reshape(shape) / (tracks.fps or 1.0))


def dwell(tracks: Tracks, anchor: str) -> Floats:
    """(rows, columns): seconds that the object which was longest in a cell spent there: where somebody stays, not where many pass."""
    cell, shape = _cells(tracks, anchor)
    cells = shape[0] * shape[1]
    key, counts = np.unique(tracks.object * cells + cell, return_counts=True)
    longest = np.zeros(cells, dtype=np.int64)
    np.maximum.at(longest, key % cells, counts)
    return np.asarray(longest.reshape(shape) / (tracks.fps or 1.0))


def _cells(tracks: Tracks, anchor: str) -> tuple[Indices, tuple[int, int]]:
    """(n,) the cell of each sample, and how many rows and columns there are; cells are square, some 16 px wide."""
    width, height = tracks.frame_px or (1, 1)
    size = max(CELL_PX, width / MOST_CELLS, height / MOST_CELLS)
    shape = (int(np.ceil(height / size)), int(np.ceil(width / size)))
    x, y = tracks.anchors(anchor).T
    row = np.clip(y / size, 0, shape[0] - 1).astype(np.intp)
    column = np.clip(x / size, 0, shape[1] - 1).astype(np.intp)
    return row * shape[1] + column, shape


@dataclass(frozen=True, slots=True)
class ClassLine:
    """What a class is worth: its objects (by what each is mostly taken for), and what would raise if it alone counted."""

    name: str
    objects: int
    counts: bool  # as the dials stand
    raises: int
    hits: int
    false_alarms: int

    def as_dict(self) -> dict[str, Any]:
        return asdict(self)


def class_lines(subject: TrackSubject, marks: Sequence[Mark]) -> list[ClassLine]:
    tracks = subject.tracks
    if not tracks.classes or len(tracks) == 0:
        return []
    usual = usual_classes(tracks)
    out = []
    for i, name in enumerate(tracks.classes):
        still_wanted()
        alone = subject.with_dials(classes=(name,))
        counts = alone.result(marks)
        out.append(
            ClassLine(
                name,
                int((usual == i).sum()),
                subject.dials.classes is None or name in subject.dials.classes,
                len(alone.events()),
                counts.hits,
                counts.false_alarms,
            )
        )
    return out


def life(subject: TrackSubject, object_: int) -> dict[str, Any]:
    """One object (by index): when it was seen, how far from each line (px, B side above 0) or in which zones, sizes and classes."""
    tracks = subject.tracks
    mine = tracks.only(np.arange(tracks.spans[object_], tracks.spans[object_ + 1]))
    points = mine.anchors(subject.dials.anchor)
    traces: dict[str, Any] = {}
    for region in watched_regions(subject.detector.regions):
        if region.shape == "line":
            x, unit = distance(points, *line_of(region)), "px"
        else:
            x, unit = inside(mine, subject.dials, region).astype(np.float64), ""
        traces[region.name] = {"t_s": mine.t_s.tolist(), "x": np.round(x, 2).tolist(), "unit": unit}
    verdict = subject.verdicts()[object_]
    return {
        "id": tracks.ids[object_],
        "from_s": float(mine.t_s[0]),
        "to_s": float(mine.t_s[-1]),
        "samples": len(mine),
        "height_px": [float(mine.box[:, 3].min()), float(mine.box[:, 3].max())],
        "height_m": _tall(mine),
        "confidence": round(float(np.median(mine.confidence)), 3),
        "cut_off": int(mine.cut_off().sum()),
        "classes": _votes(mine),
        "verdict": verdict.as_dict(),
        "traces": traces,
    }


def _tall(tracks: Tracks) -> list[float] | None:
    """Least and greatest height in m; None where the device tells none."""
    if tracks.height_m is None or np.isnan(tracks.height_m).all():
        return None
    return [round(float(np.nanmin(tracks.height_m)), 2), round(float(np.nanmax(tracks.height_m)), 2)]


def _votes(tracks: Tracks) -> Mapping[str, int]:
    names = [tracks.classes[i] if i >= 0 else "unknown" for i in tracks.label.tolist()]
    return {name: names.count(name) for name in sorted(set(names), key=lambda n: -names.count(n))}
