"""Regions reduced to one number a frame, block by block, so that a take need not fit in memory.

A box is a window that numpy reduces in place; greatest and least of any other shape run over its band of whole rows with
the pixels outside masked; all else gathers the region's pixels. A few frames at a time, so that they stay in the cache
while one region after another looks at them. `./lantern bench heat` measures it.
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import cached_property
from hashlib import sha256
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import label

from lantern.core.readings.heat.radiation import Correction
from lantern.core.readings.region import ReadingRegion
from lantern.core.signals import Floats, Frames
from lantern.core.tuning.wanted import still_wanted

CACHED_BYTES = 2_500_000  # of frames looked at by all regions in turn
THREADS = min(os.cpu_count() or 1, 4)
LEAST_TO_SHARE = 16  # frames; fewer are not worth handing out


@dataclass(frozen=True, slots=True)
class Reduction:
    """What to keep of each frame's pixels: `max`, `min`, `mean`, the k-th `hottest`/`coldest`, the `count` beyond a raw level,

    or of a box k pixels wide the size of the `second_blob` beyond it (the second-largest connected patch, by edges).
    """

    what: str
    k: int = 1
    level: float = 0.0
    corrected: Correction | None = None
    sampled: int = 0  # of a region's pixels so many are looked at; 0: all

    def apply(self, values: Any, frames: Frames) -> Floats:
        """(k frames, n pixels) to (k,): raw, or °C where each pixel is corrected first."""
        n = values.shape[1]
        if self.corrected is not None:
            values = self.corrected.apply(frames.celsius(values))
        if self.what == "max":
            out = values.max(axis=1)
        elif self.what == "min":
            out = values.min(axis=1)
        elif self.what == "mean":
            out = values.mean(axis=1, dtype=np.float64)
        elif self.what == "hottest":
            out = np.partition(values, n - self.k, axis=1)[:, n - self.k]
        elif self.what == "coldest":
            out = np.partition(values, self.k - 1, axis=1)[:, self.k - 1]
        elif self.what == "count_above":
            out = (values > self.level).sum(axis=1)
        elif self.what == "count_below":
            out = (values < self.level).sum(axis=1)
        elif self.what == "second_blob":
            out = _second_blobs(values > self.level, self.k)
        else:
            raise ValueError(f"no reduction {self.what!r}")
        return np.asarray(out, dtype=np.float64)


def _second_blobs(beyond: Any, width: int) -> Any:
    """(k frames, n pixels of a box) to (k,)."""
    out = np.zeros(beyond.shape[0])
    for at in np.flatnonzero(beyond.any(axis=1)):
        patches, count = label(beyond[at].reshape(-1, width))
        if count > 1:
            sizes = np.bincount(patches.ravel())[1:]
            out[at] = np.partition(sizes, -2)[-2]
    return out


@dataclass(frozen=True)
class Wanted:
    """A region's pixels (flat indices in a picture `width` wide) and what to keep of them in each frame. `masked`: what was
    cut out of the region.
    """

    region: ReadingRegion
    index: NDArray[np.intp]
    width: int
    reductions: tuple[Reduction, ...]
    masked: tuple[ReadingRegion, ...] = ()

    @cached_property
    def place(self) -> _Place:
        """Where in the picture the pixels lie."""
        rows, columns = self.index // self.width, self.index % self.width
        band = slice(int(rows.min()), int(rows.max()) + 1), slice(int(columns.min()), int(columns.max()) + 1)
        height, across = band[0].stop - band[0].start, band[1].stop - band[1].start
        if height * across == self.index.size:
            return _Place(*band, None)
        mask = np.zeros((height, self.width), np.uint16)
        mask[rows - band[0].start, columns] = 0xFFFF
        return _Place(*band, mask)


@dataclass(frozen=True)
class _Place:
    """Of a region: its rows, its columns, and which pixels of those rows are its own; None: all in its columns."""

    rows: slice
    columns: slice
    mask: NDArray[np.uint16] | None


def reduce_frames(frames: Frames, wanted: Sequence[Wanted]) -> list[list[Floats]]:
    """Reductions of several regions in one pass over the frames: for each region, for each reduction, (n,).

    What `frames.keep` has is taken from there, and what is reduced anew is kept there.
    """
    keep = frames.keep
    if keep is None:
        return _reduce(frames, wanted)
    keys = [[key_of(each, reduction) for reduction in each.reductions] for each in wanted]
    found = keep.get([key for row in keys for key in row])
    lacking = [
        replace(each, reductions=tuple(r for r, key in zip(each.reductions, row, strict=True) if key not in found))
        for each, row in zip(wanted, keys, strict=True)
    ]
    lacking = [each for each in lacking if each.reductions]
    for each, columns in zip(lacking, _reduce(frames, lacking) if lacking else [], strict=True):
        for reduction, column in zip(each.reductions, columns, strict=True):
            key = key_of(each, reduction)
            found[key] = column
            keep.put(key, column)
    return [[found[key] for key in row] for row in keys]


def merged(wanted: Sequence[Wanted]) -> list[Wanted]:
    """The same, with all reductions of one region and its masks together, each once."""
    found: dict[tuple[Any, ...], Wanted] = {}
    for each in wanted:
        place = (each.region.shape, each.region.points, tuple((mask.shape, mask.points) for mask in each.masked))
        held = found.get(place)
        own = each.reductions if held is None else (*held.reductions, *each.reductions)
        found[place] = replace(each, reductions=tuple(dict.fromkeys(own)))
    return list(found.values())


def key_of(wanted: Wanted, reduction: Reduction) -> str:
    """Names what was reduced: the shape (not its name), what is masked, and the statistic with all that it depends on."""
    masks = [(mask.shape, mask.points) for mask in wanted.masked]
    return sha256(repr((wanted.region.shape, wanted.region.points, masks, reduction)).encode()).hexdigest()


def _reduce(frames: Frames, wanted: Sequence[Wanted]) -> list[list[Floats]]:
    out = [[np.empty(len(frames)) for _ in each.reductions] for each in wanted]
    crews = [[_Window(each) for each in wanted] for _ in range(THREADS if len(frames) >= LEAST_TO_SHARE else 1)]
    some = max(1, CACHED_BYTES // (frames.width * frames.height * np.dtype(frames.dtype).itemsize))

    def work(crew: list[_Window], part: Any, at: int) -> None:
        for first in range(0, part.shape[0], some):
            few = part[first : first + some]
            here = slice(at + first, at + first + few.shape[0])
            for each, window, columns in zip(wanted, crew, out, strict=True):
                for reduction, column in zip(each.reductions, columns, strict=True):
                    column[here] = window.reduce(few, reduction, frames)

    at = 0
    with ThreadPoolExecutor(THREADS) as threads:
        for block in frames.blocks():
            still_wanted()
            count = block.shape[0]
            if count < LEAST_TO_SHARE or at + count > len(frames):
                work(crews[0], block[: len(frames) - at], at)
            else:  # numpy lets go of the interpreter while it reduces, so threads do use both cores
                cuts = [count * i // THREADS for i in range(THREADS + 1)]
                shares = zip(crews, pairwise(cuts), strict=True)
                for done in [threads.submit(work, crew, block[a:b], at + a) for crew, (a, b) in shares]:
                    done.result()
            at += count
    if at != len(frames):
        raise ValueError(f"frames gave {at} pages, times say {len(frames)}")
    return out


class _Window:
    """A region's pixels as the part of a frame that is quickest to reduce. Holds memory to work in: one a thread."""

    def __init__(self, wanted: Wanted) -> None:
        self.index, self.place = wanted.index, wanted.place
        self.room = np.empty((0, 0, 0), np.uint16)

    def reduce(self, part: Any, reduction: Reduction, frames: Frames) -> Floats:
        """(k, height, width) to (k,)."""
        extreme = {"max": np.maximum, "min": np.minimum}.get(reduction.what)
        if extreme is not None and reduction.corrected is None:
            place = self.place
            if place.mask is None:
                return np.asarray(extreme.reduce(part[:, place.rows, place.columns], axis=(1, 2)), dtype=np.float64)
            if frames.dtype == "uint16":
                masked = self._masked(part[:, place.rows], place.mask, keep_greatest=reduction.what == "max")
                return np.asarray(extreme.reduce(masked, axis=1), dtype=np.float64)
        return reduction.apply(np.take(part.reshape(part.shape[0], -1), self.index, axis=1), frames)

    def _masked(self, band: Any, mask: NDArray[np.uint16], *, keep_greatest: bool) -> Any:
        """The band of rows with what lies outside the region made least (or greatest), (k, pixels of the band)."""
        if self.room.shape[0] < band.shape[0]:  # asking for memory anew each time costs more than the work
            self.room = np.empty(band.shape, np.uint16)
        out = self.room[: band.shape[0]]
        if keep_greatest:
            np.bitwise_and(band, mask, out=out)
        else:
            np.bitwise_or(band, ~mask, out=out)
        return out.reshape(band.shape[0], -1)
