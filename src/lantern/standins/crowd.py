"""People and things on their way, seen by a camera and followed by a tracker that is not perfect: seeded, with its truth.

Walkers follow a polyline on the ground at their own pace. The camera turns each into a box; the tracker needs some frames to
take an object up, loses it behind another, mistakes two that overlap for one another, shakes, misses frames and doubts
classes. What really passed is known, so that counts can be held against it.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from lantern.core.scoring.marks import Mark
from lantern.core.signals import Floats
from lantern.core.tracks import Tracks, make_tracks

Box = tuple[float, float, float, float]  # left, top, width, height in px
Camera = Callable[[float, float, float, float], Box]  # x, y on the ground, width and height in m
_Row = tuple[
    float, int, float, float, float, float, float, str, float
]  # t_s, number, box, confidence, class, height in m


@dataclass(frozen=True)
class Walker:
    """`path` (n, 2) in m; `pauses`: seconds spent at each of its points. `tall_m`: how tall a device that measures it finds it."""

    start_s: float
    path: tuple[tuple[float, float], ...]
    speed_m_s: float
    label: str = "person"
    width_m: float = 0.5
    height_m: float = 1.75
    pauses: Mapping[int, float] = field(default_factory=dict)
    tall_m: float | None = None

    def legs(self) -> Iterator[tuple[float, float, tuple[float, float], tuple[float, float]]]:
        """(from, to, where from, where to) of each walk and each stand."""
        t = self.start_s
        for i, (a, b) in enumerate(zip(self.path[:-1], self.path[1:], strict=True)):
            stand = self.pauses.get(i, 0.0)
            if stand:
                yield t, t + stand, a, a
                t += stand
            took = math.dist(a, b) / self.speed_m_s
            yield t, t + took, a, b
            t += took

    @property
    def end_s(self) -> float:
        return max(end for _, end, _, _ in self.legs())

    def at(self, times: Floats) -> Floats:
        """(n, 2): where at each time; NaN before and after."""
        out = np.full((times.size, 2), np.nan)
        for start, end, a, b in self.legs():
            on = (times >= start) & (times <= end)
            share = (times[on] - start) / max(end - start, 1e-9)
            out[on] = np.array(a) + share[:, None] * (np.array(b) - np.array(a))
        return out

    def passes(self, axis: int, at_m: float) -> list[tuple[float, str]]:
        """Return when it passes a coordinate, and which way: upwards is in."""
        out = []
        for start, end, a, b in self.legs():
            before, after = a[axis] - at_m, b[axis] - at_m
            if before * after < 0:
                out.append((start + (end - start) * before / (before - after), "in" if after > 0 else "out"))
        return out


@dataclass(frozen=True)
class Tracker:
    """A tracker, and how good it is. Frames until it takes an object up; seconds without sight until it forgets one;
    shake in px.
    """

    confirm: int = 3
    forgets_s: float = 0.7
    shake_px: float = 1.2
    misses: float = 0.03
    hidden_share: float = 0.45  # of a box behind another, from which it mostly is not seen
    mistakes: float = 0.12  # chance a frame, of two that overlap, to be taken for one another
    doubts: Mapping[str, tuple[str, float]] = field(default_factory=dict)  # label to (what else, how often)
    confidence: float = 0.82
    height_error_m: float = 0.012


@dataclass(frozen=True)
class Crowd:
    """A take of tracks with its truth."""

    tracks: Tracks
    passages: tuple[tuple[float, str], ...] = ()
    marks: tuple[Mark, ...] = ()
    still: bytes | None = None


@dataclass
class _Held:
    """What the tracker holds of one walker."""

    number: int = 0
    seen: int = 0
    last: int = -10_000


def observe(
    walkers: Sequence[Walker],
    camera: Camera,
    *,
    length_s: float,
    fps: float,
    frame_px: tuple[int, int],
    tracker: Tracker = Tracker(),
    seed: int,
    clutter: Sequence[tuple[int, int, Box, str, float]] = (),
) -> Tracks:
    """Frame by frame. `clutter`: (first frame, last frame, box, class, confidence) of what is nothing: rain, reflections."""
    rng, heights = np.random.default_rng(seed), np.random.default_rng(seed + 1000)
    times = np.arange(round(length_s * fps)) / fps
    places = [w.at(times) for w in walkers]
    first = [int(np.searchsorted(times, w.start_s)) for w in walkers]
    last = [int(np.searchsorted(times, w.end_s, side="right")) for w in walkers]
    order = sorted(range(len(walkers)), key=lambda i: first[i])
    held = {i: _Held() for i in order}
    rows: list[_Row] = []
    number, entered, here = 0, 0, list[int]()
    for frame, t in enumerate(times.tolist()):
        while entered < len(order) and first[order[entered]] <= frame:
            here.append(order[entered])
            entered += 1
        here = [i for i in here if last[i] > frame]
        boxes = {i: _boxed(walkers[i], places[i][frame], camera, frame_px) for i in here}
        seen = [i for i in here if (box := boxes[i]) is not None and rng.random() > _unseen(i, box, boxes, tracker)]
        for i, j in _overlapping(seen, boxes):
            if rng.random() < tracker.mistakes:
                held[i].number, held[j].number = held[j].number, held[i].number
        for i in seen:
            mine, box = held[i], boxes[i]
            assert box is not None
            if frame - mine.last > tracker.forgets_s * fps:
                number += 1
                mine.number, mine.seen = number, 0
            mine.last, mine.seen = frame, mine.seen + 1
            if mine.seen > tracker.confirm:
                tall = walkers[i].tall_m
                rows.append(
                    (
                        t,
                        mine.number,
                        *_shaken(box, rng, tracker, frame_px),
                        *_named(walkers[i].label, rng, tracker),
                        math.nan if tall is None else round(tall + heights.normal(0, tracker.height_error_m), 3),
                    )
                )
    for start, stop, box, label, sure in clutter:
        number += 1
        for frame in range(start, min(stop, times.size)):
            shaken = _shaken(box, rng, Tracker(shake_px=4.0), frame_px)
            doubt = float(np.clip(rng.normal(sure, 0.08), 0.05, 0.99))
            rows.append((float(times[frame]), number, *shaken, doubt, label, math.nan))
    return _tracks(rows, float(times[-1]), fps, frame_px)


def _tracks(
    rows: list[_Row],
    last_s: float,
    fps: float,
    frame_px: tuple[int, int],
) -> Tracks:
    one = {(row[0], row[1]): row for row in rows}  # a mistaken number may come twice in a frame: the later one stays
    t_s, ids, *box, sure, labels, tall_m = zip(*one.values(), strict=True)
    return make_tracks(
        np.round(np.array(t_s), 9),
        np.array(ids, dtype=np.int64),
        np.round(np.array(box, dtype=np.float64).T, 1),
        confidence=np.round(np.array(sure), 3),
        labels=list(labels),
        last_s=last_s,
        frame_px=frame_px,
        fps=fps,
        height_m=np.array(tall_m),
    )


def _boxed(walker: Walker, place: Floats, camera: Camera, frame_px: tuple[int, int]) -> Box | None:
    """The box, cut off by the picture's edge; None where less than a third of it is in view."""
    if np.isnan(place[0]):
        return None
    left, top, width, height = camera(float(place[0]), float(place[1]), walker.width_m, walker.height_m)
    l2, t2 = max(left, 0.0), max(top, 0.0)
    r2, b2 = min(left + width, frame_px[0]), min(top + height, frame_px[1])
    if r2 - l2 < 0.35 * width or b2 - t2 < 0.35 * height:
        return None
    return l2, t2, r2 - l2, b2 - t2


def _unseen(i: int, box: Box, boxes: Mapping[int, Box | None], tracker: Tracker) -> float:
    """The chance to be missed: behind another one (whose foot is nearer) mostly, else seldom."""
    foot = box[1] + box[3]
    for j, other in boxes.items():
        nearer = j != i and other is not None and (other[1] + other[3], j) > (foot, i)
        if nearer and other is not None and _shared(box, other) > tracker.hidden_share * box[2] * box[3]:
            return 0.85
    return tracker.misses


def _shared(a: Box, b: Box) -> float:
    across = min(a[0] + a[2], b[0] + b[2]) - max(a[0], b[0])
    down = min(a[1] + a[3], b[1] + b[3]) - max(a[1], b[1])
    return max(across, 0.0) * max(down, 0.0)


def _overlapping(seen: Sequence[int], boxes: Mapping[int, Box | None]) -> Iterator[tuple[int, int]]:
    for at, i in enumerate(seen):
        for j in seen[at + 1 :]:
            a, b = boxes[i], boxes[j]
            if a is not None and b is not None:
                both = _shared(a, b)
                if both / (a[2] * a[3] + b[2] * b[3] - both) > 0.4:
                    yield i, j


def _shaken(
    box: Box, rng: np.random.Generator, tracker: Tracker, frame_px: tuple[int, int]
) -> tuple[float, float, float, float]:
    left, top, width, height = (v + d for v, d in zip(box, rng.normal(0, tracker.shake_px, 4).tolist(), strict=True))
    left, top = max(left, 0.0), max(top, 0.0)
    return left, top, max(min(width, frame_px[0] - left), 2.0), max(min(height, frame_px[1] - top), 2.0)


def _named(label: str, rng: np.random.Generator, tracker: Tracker) -> tuple[float, str]:
    sure = float(np.clip(rng.normal(tracker.confidence, 0.07), 0.05, 0.99))
    other, share = tracker.doubts.get(label, ("", 0.0))
    return (sure * 0.85, other) if rng.random() < share else (sure, label)
