"""Thermal pictures: a multi-page TIFF or CSV matrices; stored as blocks of some frames."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.signals import Floats, Frames, Pixels, RecordedAs, frames_of
from lantern.formats.border import within_border
from lantern.formats.folder import TakeFolder
from lantern.formats.limits import COLDEST_C, HOTTEST_C, LONGEST_S
from lantern.formats.packing import pack, unpack
from lantern.formats.sidecar import TakeInfo
from lantern.formats.tables import read_times, write_times
from lantern.formats.text import bounded
from lantern.signals.heat.feed import FrameFeed
from lantern.signals.heat.looks import look_at_matrices, look_at_pages
from lantern.signals.heat.matrices import Matrices, write_matrices
from lantern.signals.heat.tiff import check_tiff, read_blocks, write_tiff
from lantern.signals.looks import Look, Unread
from lantern.signals.signal import Block, Signal, Stored, Timed
from lantern.signals.space import PICTURE

SCALES = {"uint16": (0.01, -273.15), "float32": (1.0, 0.0), "float64": (1.0, 0.0)}
SLACK = 1e-6  # of a raw value: the limits themselves are within
FRAMES_A_BLOCK = 8  # one is unpacked for a single frame; more pack a little better
BLOCKS_AT_ONCE = 16  # some twenty megabytes of a 320 x 240 camera


class Heat(Signal[Frames, Frames]):
    """Frames of one camera: `facts` hold how raw pixels become °C, and what the camera had corrected already."""

    name = "heat"
    words = "thermal pictures, as a multi-page TIFF or CSV matrices"
    held = False
    space = PICTURE
    ground = "/static/signals/heat/ground.js"
    framed = True
    thumbs = "/static/signals/heat/thumbs.js"
    endings = (".tif", ".tiff", ".zip")
    feed = FrameFeed

    def may_be(self, unread: Unread) -> int:
        return 3 if unread.suffix in self.endings else 0

    def look(self, unread: Unread) -> Look:
        return look_at_matrices(unread) if unread.suffix == ".zip" else look_at_pages(unread)

    def told(self, drawn: Mapping[str, Any], info: TakeInfo) -> list[str]:
        """Return from how cold to how warm the page that is sketched is."""
        scale, offset = 1.0 if info.scale is None else info.scale, info.offset or 0.0
        low, high = (drawn[key] * scale + offset for key in ("low", "high"))
        return [f"the page shown: {low:.1f} to {high:.1f} °C"]

    def faults(self, info: TakeInfo) -> list[str]:
        return ["a heat take has either fps or times"] if (info.fps is None) == (info.times is None) else []

    def shown(self, facts: Mapping[str, Any]) -> dict[str, Any]:
        """Return how raw pixels become °C."""
        return {"scale": facts.get("scale"), "offsetC": facts.get("offset_c"), "dtype": facts.get("dtype")}

    def said(self, facts: Mapping[str, Any]) -> list[str]:
        return [str(facts["dtype"])] if "dtype" in facts else []

    def read(self, info: TakeInfo, data: Path, folder: TakeFolder) -> Frames:
        if data.suffix.lower() in (".tif", ".tiff"):
            shape = check_tiff(data, folder.limits)
            pages, width, height, dtype = shape.pages, shape.width, shape.height, shape.dtype

            def blocks() -> Iterator[Pixels]:
                return read_blocks(data, shape)
        elif data.is_dir() or data.suffix.lower() == ".zip":
            matrices = Matrices(data, folder.limits)
            pages, width, height, dtype = len(matrices), matrices.width, matrices.height, "float64"
            blocks = matrices.blocks
            folder.left += matrices.left
            folder.used |= {data / name for name in matrices.names}
        else:
            expected = "a .tif/.tiff file, or a folder or zip of CSV matrices"
            raise Refused([Fault(f"{folder.where}: data", f"{data.name!r}", expected)])
        scale, offset = SCALES[dtype]
        frames = Frames(
            t_s=_times(info, pages, folder),
            width=width,
            height=height,
            scale=scale if info.scale is None else info.scale,
            offset_c=offset if info.offset is None else info.offset,
            blocks=blocks,
            recorded=info.recorded(),
            dtype=dtype,
        )
        return replace(frames, blocks=within_border(data.name, lambda: temperate(frames, data.name)))

    def facts(self, info: TakeInfo, value: Frames) -> dict[str, Any]:
        raw = {"dtype": value.dtype, "scale": value.scale, "offset_c": value.offset_c}
        return {"width": value.width, "height": value.height, **raw, "recorded": asdict(value.recorded)}

    def t_s(self, value: Frames) -> Floats:
        return value.t_s

    def samples(self, value: Frames) -> int:
        return len(value)

    def length_s(self, value: Frames) -> float:
        return float(value.t_s[-1] - value.t_s[0])

    def pack(self, value: Frames) -> Iterator[Block]:
        for block in value.blocks():
            for first in range(0, block.shape[0], FRAMES_A_BLOCK):
                part = block[first : first + FRAMES_A_BLOCK]
                yield part.shape[0], partial(pack, part)

    def unpack(self, stored: Stored) -> Frames:
        facts = stored.facts
        if facts["dtype"] not in SCALES:
            raise ValueError(f"no pixels of type {facts['dtype']!r}")
        recorded = RecordedAs(**facts["recorded"])

        def blocks() -> Iterator[Pixels]:
            done = 0
            with ThreadPoolExecutor(2) as threads:  # unpacking lets go of the interpreter
                for some in _some_at_once(stored.blocks()):
                    block = np.concatenate(list(threads.map(lambda each: self.frame(facts, *each), some)))
                    done += block.shape[0]
                    yield block
            if done != stored.t_s.size:
                raise ValueError(f"{done} frames, {stored.t_s.size} times")

        return Frames(
            t_s=stored.t_s,
            width=int(facts["width"]),
            height=int(facts["height"]),
            scale=facts["scale"],
            offset_c=facts["offset_c"],
            blocks=blocks,
            recorded=recorded,
            dtype=facts["dtype"],
            keep=stored.keep,
        )

    def described(self, facts: Mapping[str, Any]) -> dict[str, Any]:
        """Return nothing: the pictures have their size themselves."""
        return {}

    part_samples = FRAMES_A_BLOCK

    def alike(self, first: Frames, sample: Frames) -> bool:
        keys = ("width", "height", "dtype", "scale", "offset_c", "recorded")
        return all(getattr(first, key) == getattr(sample, key) for key in keys)

    def piece(self, samples: Sequence[Timed[Frames]], known: Mapping[str, Any]) -> Frames:
        first: Frames = samples[0][1]
        pixels = np.concatenate([block for _, each in samples for block in each.blocks()])
        t_s = np.array([t for t, _ in samples])
        return frames_of(pixels, t_s, scale=first.scale, offset_c=first.offset_c, recorded=first.recorded)

    def joined(self, pieces: Sequence[Frames], t_s: Floats) -> Frames:
        return replace(pieces[0], t_s=t_s, blocks=lambda: (block for each in pieces for block in each.blocks()))

    def write(self, info: TakeInfo, value: Frames, folder: Path) -> TakeInfo:
        """A TIFF, or CSV matrices where pixels are doubles; the times beside it."""
        if value.dtype == "float64":
            name = "frames.zip"
            write_matrices(value.blocks(), folder / name)
        else:
            name = "frames.tif"
            write_tiff(value.blocks(), folder / name, shape=(len(value), value.height, value.width), dtype=value.dtype)
        write_times(value.t_s, folder / "times.csv")
        at = {"data": name, "fps": None, "times": "times.csv", "scale": value.scale, "offset": value.offset_c}
        return info.model_copy(update=at | asdict(value.recorded))

    def frame(self, facts: Mapping[str, Any], count: int, data: bytes) -> Pixels:
        size = {"height": facts["height"], "width": facts["width"]}
        pixels: Pixels = unpack(data, count=count, dtype=facts["dtype"], **size)
        return pixels


def _some_at_once(blocks: Iterator[tuple[int, bytes]]) -> Iterator[list[tuple[int, bytes]]]:
    some: list[tuple[int, bytes]] = []
    for each in blocks:
        some.append(each)
        if len(some) == BLOCKS_AT_ONCE:
            yield some
            some = []
    if some:
        yield some


def _times(info: TakeInfo, pages: int, folder: TakeFolder) -> Floats:
    if info.times is None:
        assert info.fps is not None
        faults = FaultList()
        bounded(pages / info.fps, 0, LONGEST_S, faults, where=f"{folder.where}, the last frame", unit=" s")
        faults.refuse_if_any()
        return np.round(np.arange(pages) / info.fps, 9)
    path = folder.beside(info.times, key="times")
    t_s = read_times(path, where=path.name, limits=folder.limits)
    if t_s.size != pages:
        raise Refused([Fault(path.name, f"{t_s.size} times", f"{pages}, one for each frame")])
    return t_s


def temperate(frames: Frames, where: str) -> Iterator[Pixels]:
    """Blocks whose every pixel is a temperature that there can be; refused at the first page that is not."""
    coldest, hottest = (COLDEST_C - frames.offset_c) / frames.scale, (HOTTEST_C - frames.offset_c) / frames.scale
    whole = np.iinfo(frames.dtype) if frames.dtype == "uint16" else None
    never_beyond = whole is not None and coldest - 0.5 <= whole.min and whole.max <= hottest
    page = 0
    for block in frames.blocks():
        if not never_beyond and (block.min() < coldest - SLACK or block.max() > hottest + SLACK):
            bad = (block < coldest - SLACK) | (block > hottest + SLACK)
            at = int(np.flatnonzero(bad.any(axis=(1, 2)))[0])
            row, column = np.argwhere(bad[at])[0]
            value = float(block[at, row, column]) * frames.scale + frames.offset_c
            place = f"{where}, page {page + at + 1}"
            what = f"pixel ({column}, {row}) is {value:g} °C"
            raise Refused([Fault(place, what, f"{COLDEST_C:g} to {HOTTEST_C:g} °C: look at scale and offset")])
        page += block.shape[0]
        yield block


SIGNALS = (Heat(),)
