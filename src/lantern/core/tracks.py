"""Objects over time: boxes in a picture, or points on a plan, sorted by object and then by time."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from lantern.core.signals import Floats
from lantern.core.watching import Bools, Indices

UNKNOWN = -1  # class of a sample whose class is not known

Ids = tuple[int | str, ...]
T = TypeVar("T")
MOST_KEPT, MOST_SAMPLES_KEPT = 16, 5_000_000


@dataclass(frozen=True)
class Tracks:
    """n samples of m objects.

    `t_s` (n,) in s from the take's start, rising within each object; `object` (n,) indices into `ids`, rising; `box` (n, 4)
    left, top, width, height in pixels (on a plan: x, y, 0, 0 in metres); `confidence` (n,); `label` (n,) indices into
    `classes`, -1 unknown; `height_m` (n,): how tall the object is, where the device measures it, NaN where it could not
    tell. `last_s`: when the last frame was taken, whether or not anything was in it. `frame_px`: width and
    height of the picture, `fps` its rate, where they are known.
    """

    t_s: Floats
    object: Indices
    box: Floats
    confidence: Floats
    label: NDArray[np.intp]
    ids: Ids
    classes: tuple[str, ...] = ()
    last_s: float = 0.0
    on_plan: bool = False
    frame_px: tuple[int, int] | None = None
    fps: float | None = None
    height_m: Floats | None = None
    _kept: dict[tuple[Hashable, ...], tuple[Any]] = field(default_factory=dict, init=False, repr=False, compare=False)

    def __len__(self) -> int:
        return int(self.t_s.size)

    @property
    def length_s(self) -> float:
        return max(self.last_s, float(self.t_s.max()) if self.t_s.size else 0.0)

    def remember(self, key: tuple[Hashable, ...], make: Callable[[], T]) -> T:
        """`make()`, or what it gave before: a dial that is dragged does not move the objects past the line anew.

        Of each sort of thing (the first of `key`) the newest are kept: sixteen, fewer of a long take.
        """
        known = self._kept.get(key)
        if (
            known is None
        ):  # requests run in threads: what another one makes meanwhile is made twice, and nothing is lost
            known = (make(),)
            same = [each for each in list(self._kept) if each[0] == key[0]]
            room = max(2, min(MOST_KEPT, MOST_SAMPLES_KEPT // max(len(self), 1)))
            for old in same[: max(len(same) + 1 - room, 0)]:
                self._kept.pop(old, None)
            self._kept[key] = known
        found: T = known[0]
        return found

    def only(self, which: Bools | Indices) -> Tracks:
        """Only some samples, in their order."""
        columns = ("t_s", "object", "box", "confidence", "label", *(("height_m",) if self.height_m is not None else ()))
        return replace(self, **{name: getattr(self, name)[which] for name in columns})

    @property
    def spans(self) -> Indices:
        """(m + 1,): object i has the samples spans[i] to spans[i + 1]."""
        return np.searchsorted(self.object, np.arange(len(self.ids) + 1))

    def cut_off(self, margin_px: float = 1.0) -> Bools:
        """(n,): does the box touch the picture's edge, so that its size and its foot are not known?"""
        if self.frame_px is None:
            return np.zeros(len(self), dtype=np.bool_)
        left, top, width, height = self.box.T
        over_right, over_bottom = (
            left + width >= self.frame_px[0] - margin_px,
            top + height >= self.frame_px[1] - margin_px,
        )
        return np.asarray((left <= margin_px) | (top <= margin_px) | over_right | over_bottom)

    def class_at(self, at: int) -> str:
        return self.class_name(int(self.label[at]))

    def class_name(self, label: int) -> str:
        return self.classes[label] if label >= 0 else "unknown"

    def anchors(self, anchor: str) -> Floats:
        """(n, 2): where each object is: `foot` the middle of the box's lower edge, `centre`, or `top`; column by column."""

        def look() -> Floats:
            left, top, width, height = self.box.T
            down = {"foot": height, "centre": height / 2, "top": 0.0}[anchor]
            return np.asfortranarray(np.column_stack((left + width / 2, top + down)))

        return self.remember(("anchors", anchor), look)


def make_tracks(
    t_s: Floats,
    ids: NDArray[np.int64] | list[str],
    box: Floats,
    *,
    confidence: Floats | None = None,
    labels: list[str] | NDArray[np.int64] | None = None,
    names: Mapping[int, str] | None = None,
    last_s: float = 0.0,
    on_plan: bool = False,
    frame_px: tuple[int, int] | None = None,
    fps: float | None = None,
    height_m: Floats | None = None,
) -> Tracks:
    """Samples in any order of objects to tracks. `labels`: class numbers (named by `names`) or class names; "" is unknown."""
    known, index = np.unique(np.asarray(ids), return_inverse=True)
    words, label = _words(labels, names or {}, t_s.size)
    columns = {"t_s": t_s, "object": index, "box": box, "label": label}
    columns["confidence"] = np.ones(t_s.size) if confidence is None else confidence
    if height_m is not None:
        columns["height_m"] = height_m
    return arrange(
        columns, known.tolist(), words, last_s=last_s, on_plan=on_plan, frame_px=frame_px, fps=fps
    )  # fmt: skip


def arrange(
    columns: dict[str, NDArray[Any]],
    ids: Sequence[int | str],
    words: Sequence[str],
    *,
    last_s: float,
    on_plan: bool = False,
    frame_px: tuple[int, int] | None = None,
    fps: float | None = None,
) -> Tracks:
    """Samples in any order to tracks, by objects and by time.

    `columns`: as `Tracks` has them, all (n,) but the box (n, 4), `object` and `label` as indices into `ids` and `words`, in
    any order ("" is unknown). They are taken out of the dictionary one by one, so that no two copies of all are held.
    """
    by_id = sorted(range(len(ids)), key=ids.__getitem__)
    classes = tuple(sorted({word for word in words if word}))
    columns["object"] = _ranks(by_id)[columns["object"]]
    place = np.array([classes.index(word) if word else UNKNOWN for word in words], dtype=np.intp)
    columns["label"] = place[columns["label"]] if len(words) else columns["label"]
    order = np.lexsort((columns["t_s"], columns["object"]))
    done = {name: columns.pop(name)[order] for name in list(columns)}
    height_m = done.pop("height_m", None)
    return Tracks(
        **done,
        ids=tuple(ids[i] for i in by_id),
        classes=classes,
        last_s=last_s,
        on_plan=on_plan,
        frame_px=frame_px,
        fps=fps,
        height_m=height_m if height_m is not None and not np.isnan(height_m).all() else None,
    )


def _ranks(by_id: Sequence[int]) -> Indices:
    ranks = np.empty(len(by_id), dtype=np.intp)
    ranks[np.array(by_id, dtype=np.intp)] = np.arange(len(by_id))
    return ranks


def _words(
    labels: list[str] | NDArray[np.int64] | None, names: Mapping[int, str], n: int
) -> tuple[list[str], NDArray[np.intp]]:
    """The distinct class names, "" for unknown, and for each sample which it is."""
    if labels is None:
        return [""], np.zeros(n, dtype=np.intp)
    if isinstance(labels, np.ndarray):
        numbers, index = np.unique(labels, return_inverse=True)
        return ["" if k < 0 else names.get(int(k), str(int(k))) for k in numbers.tolist()], index.astype(np.intp)
    words_array, index = np.unique(np.array(labels, dtype=object).astype(str), return_inverse=True)
    return words_array.tolist(), index.astype(np.intp)


def stretch_of(tracks: Tracks, gap_s: float) -> Indices:
    """(n,): for each sample the index of the first one of its stretch: the same object, no longer pause than `gap_s`."""
    return tracks.remember(("stretches", gap_s), lambda: _stretches(tracks, gap_s))


def stretch_count(tracks: Tracks, gap_s: float) -> int:
    """Return how many stretches there are. A longer gap joins some and parts none, so their number tells how the take
    is cut up.
    """
    return tracks.remember(("stretch count", gap_s), lambda: int(np.unique(stretch_of(tracks, gap_s)).size))


def _stretches(tracks: Tracks, gap_s: float) -> Indices:
    n = len(tracks)
    starts = np.zeros(n, dtype=np.intp)
    if n:
        fresh = np.flatnonzero((np.diff(tracks.object) != 0) | (np.diff(tracks.t_s) > gap_s + 1e-6)) + 1
        starts[fresh] = fresh
    return np.maximum.accumulate(starts)


def usual_classes(tracks: Tracks) -> NDArray[np.intp]:
    """(m,): the class that most samples of each object show, the first of equals; -1 where none shows any."""

    def look() -> NDArray[np.intp]:
        votes = np.zeros((len(tracks.ids), len(tracks.classes) + 1), dtype=np.int64)
        known = tracks.label >= 0
        np.add.at(votes, (tracks.object[known], tracks.label[known]), 1)
        return np.where(votes.any(axis=1), votes.argmax(axis=1), UNKNOWN)

    return tracks.remember(("usual classes",), look)


def majority_so_far(tracks: Tracks) -> NDArray[np.intp]:
    """(n,): the class that each object's samples up to here show most often, the earlier seen of equals.

    Vectorised over classes: running counts of each class within the object, and when each was first seen.
    """
    n, kinds = len(tracks), len(tracks.classes) + 1  # the last column is "unknown"
    if n == 0 or not tracks.classes:
        return np.full(n, UNKNOWN, dtype=np.intp)
    label = np.where(tracks.label < 0, kinds - 1, tracks.label)
    first = np.flatnonzero(np.concatenate(([True], np.diff(tracks.object) != 0)))
    begins = np.repeat(first, np.diff(np.append(first, n)))
    best = np.full(n, -1, dtype=np.intp)
    most = np.zeros(n)
    seen = np.full(n, n, dtype=np.intp)
    for kind in range(kinds):
        here = label == kind
        total = np.cumsum(here)
        count = total - (total[begins] - here[begins])
        when = np.where(here, np.arange(n), n)
        since = _running_least(when, begins)
        better = (count > most) | ((count == most) & (count > 0) & (since < seen))
        best[better], most[better], seen[better] = kind, count[better], since[better]
    return np.where(best == kinds - 1, UNKNOWN, best)


def _running_least(values: Indices, begins: Indices) -> Indices:
    """min(values[begins[i] .. i]): first occurrences, since within an object the earliest index is the least."""
    index = np.arange(values.size)
    hit = np.flatnonzero(values < values.size)
    if hit.size == 0:
        return np.full(values.size, values.size, dtype=np.intp)
    at = np.searchsorted(hit, begins)
    found = np.where(at < hit.size, hit[np.minimum(at, hit.size - 1)], values.size)
    return np.where(found <= index, found, values.size)


# ---- a frame at a time ----

Id = int | str


@dataclass(frozen=True, slots=True)
class Seen:
    """One object in one frame."""

    id: Id
    box: tuple[float, float, float, float]
    confidence: float = 1.0
    label: str = ""
    height_m: float | None = None
