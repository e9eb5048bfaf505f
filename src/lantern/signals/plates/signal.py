"""Reads of a plate reader: a CSV file of texts with how sure they are, and boxes of plate and vehicle."""

from __future__ import annotations

import io
import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import datetime
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import zstandard
from pydantic import Field

from lantern.core.faults import Fault, Refused
from lantern.core.plates.keys import key_of
from lantern.core.plates.reads import NOTHING, Read, Reads
from lantern.core.signals import Floats
from lantern.formats.folder import TakeFolder
from lantern.formats.sidecar import TakeInfo
from lantern.signals.plates.feed import ReadFeed
from lantern.signals.plates.table import MOST_CHARACTERS, read_plates, write_plates
from lantern.signals.signal import Block, Signal, Stored, Timed
from lantern.signals.space import PICTURE

LEVEL = 3
MOST_SKETCHED = 400  # boxes of plates


class PlatesInfo(TakeInfo):
    """`take.json` of a take of plates."""

    syntax: str | tuple[str, ...] | None = Field(default=None, description="forms that plates at the place have")
    light: str | None = Field(
        default=None, max_length=40, description="day, dusk or night, for all of it; else by the height of the sun"
    )


class PlateReads(Signal[Reads, Sequence[Read]]):
    """Stored in one piece; reads have their times, the take has none of its own."""

    name = "plates"
    words = "reads of a plate reader, as a CSV file"
    held = True
    space = PICTURE
    ground = "/static/signals/plates/ground.js"
    info = PlatesInfo
    feed = ReadFeed

    def true_text(self, text: str) -> str:
        """The key of a plate."""
        key = key_of(text)
        if (text.strip() and not key) or len(key) > MOST_CHARACTERS:
            raise Refused([Fault("truth", repr(text)[:60], f"letters and digits, at most {MOST_CHARACTERS}; or empty")])
        return key

    def read(self, info: TakeInfo, data: Path, folder: TakeFolder) -> Reads:
        light = info.light if isinstance(info, PlatesInfo) else None
        return read_plates(data, where=data.name, start=info.start, light=light, limits=folder.limits)

    def facts(self, info: TakeInfo, value: Reads) -> dict[str, Any]:
        syntax = info.syntax if isinstance(info, PlatesInfo) else None
        return {
            "width": info.width,
            "height": info.height,
            "start": info.start.isoformat(),
            "light": value.light,
            "syntax": [syntax] if isinstance(syntax, str) else list(syntax or ()),
            "holds": [[len(value), "reads"], [len(set(value.vehicle)), "vehicles"]],
        }

    def sketch(self, facts: Mapping[str, Any], value: Reads) -> dict[str, Any]:
        """Return where in the picture plates were read: their boxes, evenly over the take where there are many."""
        boxes = value.plate[~np.isnan(value.plate).any(axis=1)]
        return {"plates": np.round(boxes[:: 1 + len(boxes) // MOST_SKETCHED], 1).tolist()}

    def t_s(self, value: Reads) -> Floats:
        return np.zeros(0)

    def samples(self, value: Reads) -> int:
        return len(value)

    def length_s(self, value: Reads) -> float:
        return value.length_s

    def pack(self, value: Reads) -> Iterator[Block]:
        yield len(value), partial(_pack, value)

    def piece(self, samples: Sequence[Timed[Sequence[Read]]], known: Mapping[str, Any]) -> Reads:
        """Return the reads that came in time: a late one opens nothing, and is kept elsewhere."""
        rows = [(t, read) for t, reads in samples for read in reads if not read.late]
        return Reads(
            t_s=np.array([t for t, _ in rows], dtype=np.float64),
            vehicle=tuple(read.vehicle for _, read in rows),
            text=tuple(read.text for _, read in rows),
            confidence=np.array([read.confidence for _, read in rows], dtype=np.float64),
            chars=tuple(tuple(read.chars) for _, read in rows),
            plate=np.array([read.plate or NOTHING for _, read in rows], dtype=np.float64).reshape(-1, 4),
            car=np.array([read.car or NOTHING for _, read in rows], dtype=np.float64).reshape(-1, 4),
            truth=("",) * len(rows),
            start=known["start"],
        )

    def joined(self, pieces: Sequence[Reads], t_s: Floats) -> Reads:
        """Return the pieces as one: of a stretch in which nothing was read nothing is left, for reads have
        their times.
        """
        columns: dict[str, Any] = {
            name: tuple(cell for each in pieces for cell in getattr(each, name))
            for name in ("vehicle", "text", "chars", "truth")
        }
        for name in ("t_s", "confidence", "plate", "car"):
            columns[name] = np.concatenate([getattr(each, name) for each in pieces])
        return replace(pieces[0], **columns)

    def described(self, facts: Mapping[str, Any]) -> dict[str, Any]:
        return super().described(facts) | {
            "light": facts.get("light"),
            "syntax": tuple(facts.get("syntax", ())) or None,
        }

    def write(self, info: TakeInfo, value: Reads, folder: Path) -> TakeInfo:
        (folder / "reads.csv").write_text(write_plates(value))
        return info.model_copy(update={"data": "reads.csv"})

    def unpack(self, stored: Stored) -> Reads:
        start = datetime.fromisoformat(stored.facts["start"])
        return _unpack(stored.only_block(), start, stored.facts.get("light"))


def _pack(reads: Reads) -> bytes:
    """Numbers in numpy's own container, texts as JSON in it."""
    out = io.BytesIO()
    texts = {name: list(getattr(reads, name)) for name in ("vehicle", "text", "truth")}
    texts["also"] = {name: list(column) for name, column in reads.also.items()}  # type: ignore[assignment]
    named = {
        "t_s": reads.t_s,
        "confidence": reads.confidence,
        "plate": reads.plate,
        "car": reads.car,
        "counts": np.array([len(each) for each in reads.chars], dtype=np.int16),
        "chars": np.array([q for each in reads.chars for q in each], dtype=np.float64),
        "texts": np.frombuffer(json.dumps(texts).encode(), dtype=np.uint8),
    }
    np.savez(out, **named)  # type: ignore[arg-type]  # numpy's stub takes the names for its own option
    return zstandard.ZstdCompressor(level=LEVEL).compress(out.getvalue())


def _unpack(data: bytes, start: datetime, light: str | None) -> Reads:
    with np.load(io.BytesIO(zstandard.ZstdDecompressor().decompress(data)), allow_pickle=False) as held:
        texts = json.loads(held["texts"].tobytes())
        ends = np.cumsum(held["counts"].astype(np.intp))
        chars = np.split(held["chars"], ends[:-1]) if ends.size else []
        return Reads(
            t_s=held["t_s"],
            vehicle=tuple(texts["vehicle"]),
            text=tuple(texts["text"]),
            confidence=held["confidence"],
            chars=tuple(tuple(each.tolist()) for each in chars),
            plate=held["plate"],
            car=held["car"],
            truth=tuple(texts["truth"]),
            start=start,
            also={name: tuple(column) for name, column in texts["also"].items()},
            light=light,
        )


SIGNALS = (PlateReads(),)
