"""Looks of a face device: a CSV file of candidates and scores."""

from __future__ import annotations

import io
import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any, Literal, Self

import numpy as np
import zstandard
from pydantic import Field, model_validator

from lantern.core.faces.looks import UNKNOWN, Column, Look, Looks
from lantern.core.signals import Floats
from lantern.formats.folder import TakeFolder
from lantern.formats.limits import MOST_NAME, MOST_READING
from lantern.formats.sidecar import TakeInfo
from lantern.signals.faces.feed import LookFeed
from lantern.signals.faces.table import Scale, read_faces, write_faces
from lantern.signals.signal import Block, Signal, Stored, Timed
from lantern.signals.space import NOWHERE

LEVEL = 3
NUMBERS = ("t_s", "first", "score", "mated")
TURNED = "score_sense is distance, where less is more alike: give the greatest distance minus each as its score"


class FacesInfo(TakeInfo):
    """`take.json` of a take of faces."""

    score_min: float | None = Field(
        default=None, ge=-MOST_READING, le=MOST_READING, description="of the device's scale"
    )
    score_max: float | None = Field(default=None, ge=-MOST_READING, le=MOST_READING)
    score_sense: Literal["similarity", "distance"] = Field(default="similarity", description="what more of it means")
    algorithm: str | None = Field(
        default=None, max_length=MOST_NAME, description="name and version, as the device says"
    )
    best: int | None = Field(default=None, ge=1, description="the device tells the best so many candidates alone")
    not_acquired: int | None = Field(
        default=None,
        ge=0,
        description="faces that the device saw and could compare with nobody; unknown where it lacks",
    )
    floor: float | None = Field(default=None, description="the device tells no score below this")

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if (self.score_min is None) != (self.score_max is None):
            raise ValueError("score_min and score_max go together")
        if self.score_min is not None and self.score_max is not None and self.score_min >= self.score_max:
            raise ValueError(f"score_min {self.score_min:g} is not below score_max {self.score_max:g}")
        return self

    @property
    def score_scale(self) -> Scale | None:
        return None if self.score_min is None or self.score_max is None else (self.score_min, self.score_max)


class FaceLooks(Signal[Looks, Sequence[Look]]):
    """Stored in one piece; looks have their times, the take has none of its own."""

    name = "faces"
    words = "looks of a face device, as a CSV file"
    held = True
    names_people = True
    space = NOWHERE
    info = FacesInfo
    feed = LookFeed

    def faults(self, info: TakeInfo) -> list[str]:
        return [TURNED] if isinstance(info, FacesInfo) and info.score_sense == "distance" else []

    def read(self, info: TakeInfo, data: Path, folder: TakeFolder) -> Looks:
        told = info if isinstance(info, FacesInfo) else None
        looks = read_faces(data, where=data.name, scale=told.score_scale if told else None, limits=folder.limits)
        return (
            looks
            if told is None
            else replace(
                looks, best=told.best, floor=told.floor, algorithm=told.algorithm, not_acquired=told.not_acquired
            )
        )

    def facts(self, info: TakeInfo, value: Looks) -> dict[str, Any]:
        return {
            "width": info.width,
            "height": info.height,
            "scale": value.scale,
            "told": list(value.told),
            "algorithm": value.algorithm,
            "best": value.best,
            "floor": value.floor,
            "not_acquired": value.not_acquired,
            "holds": [[len(value), "looks"], [len(value.candidate.words), "candidates"]],
        }

    def t_s(self, value: Looks) -> Floats:
        return np.zeros(0)

    def samples(self, value: Looks) -> int:
        return len(value)

    def length_s(self, value: Looks) -> float:
        return value.length_s

    def pack(self, value: Looks) -> Iterator[Block]:
        yield len(value), partial(_pack, value)

    def unpack(self, stored: Stored) -> Looks:
        return _unpack(stored.only_block(), stored.facts)

    def described(self, facts: Mapping[str, Any]) -> dict[str, Any]:
        low, high = facts.get("scale") or (None, None)
        own = {"score_min": low, "score_max": high} | {
            key: facts.get(key) for key in ("algorithm", "best", "floor", "not_acquired")
        }
        return super().described(facts) | {key: value for key, value in own.items() if value is not None}

    def alike(self, first: Sequence[Look], sample: Sequence[Look]) -> bool:
        """Scores that another version makes are another take; where nothing is said nobody knows."""
        made_by = [looks[0].algorithm for looks in (first, sample) if looks]
        return len(set(made_by)) < 2

    def piece(self, samples: Sequence[Timed[Sequence[Look]]], known: Mapping[str, Any]) -> Looks:
        """Return the looks that came in time, each with what the device said of its candidates: nobody has said yet who they were."""
        timed = [(t, look) for t, looks in samples for look in looks if not look.late and look.candidates]
        rows = [(look, name, score) for _, look in timed for name, score in look.candidates]
        columns = sorted({column for _, look in timed for column in look.groups})
        return Looks(
            algorithm=next((look.algorithm for _, look in timed if look.algorithm), None),
            t_s=np.array([t for t, _ in timed], dtype=np.float64),
            probe=tuple(look.probe for _, look in timed),
            first=np.concatenate(([0], np.cumsum([len(look.candidates) for _, look in timed], dtype=np.intp))),
            score=np.array([score for _, _, score in rows], dtype=np.float64),
            candidate=Column.of([name for _, name, _ in rows]),
            mated=np.full(len(rows), UNKNOWN, dtype=np.int8),
            groups={column: Column.of([look.groups.get(column, "") for look, _, _ in rows]) for column in columns},
        )

    def joined(self, pieces: Sequence[Looks], t_s: Floats) -> Looks:
        columns = sorted({column for each in pieces for column in each.groups})
        lengths = np.concatenate([np.diff(each.first) for each in pieces])
        cells = {column: Column.of([cell for each in pieces for cell in _cells(each, column)]) for column in columns}
        return replace(
            pieces[0],
            t_s=np.concatenate([each.t_s for each in pieces]),
            probe=tuple(probe for each in pieces for probe in each.probe),
            first=np.concatenate(([0], np.cumsum(lengths))),
            score=np.concatenate([each.score for each in pieces]),
            candidate=Column.of([cell for each in pieces for cell in each.candidate.cells]),
            mated=np.concatenate([each.mated for each in pieces]),
            groups=cells,
            algorithm=next((each.algorithm for each in pieces if each.algorithm), None),
        )

    def renamed(self, value: Looks, old: str, new: str) -> Looks | None:
        columns = {"": value.candidate, **value.groups}
        if all(old not in column.words for column in columns.values()) and old not in value.probe:
            return None
        fresh = {
            name: Column(column.code, tuple(new if word == old else word for word in column.words))
            for name, column in columns.items()
        }
        probe = tuple(new if each == old else each for each in value.probe)
        return replace(value, probe=probe, candidate=fresh.pop(""), groups=fresh)

    def write(self, info: TakeInfo, value: Looks, folder: Path) -> TakeInfo:
        (folder / "looks.csv").write_text(write_faces(value))
        return info.model_copy(update={"data": "looks.csv"})


def _cells(looks: Looks, column: str) -> list[str]:
    held = looks.groups.get(column)
    return [""] * looks.score.size if held is None else held.cells


def _pack(looks: Looks) -> bytes:
    """Numbers in numpy's own container, words as JSON in it."""
    columns = {"": looks.candidate} | dict(looks.groups)
    words = {"probe": looks.probe, "columns": {name: column.words for name, column in columns.items()}}
    named = {name: getattr(looks, name) for name in NUMBERS}
    named |= {f"code{at}": column.code for at, column in enumerate(columns.values())}
    out = io.BytesIO()
    np.savez(out, words=np.frombuffer(json.dumps(words).encode(), dtype=np.uint8), **named)
    return zstandard.ZstdCompressor(level=LEVEL).compress(out.getvalue())


def _unpack(data: bytes, facts: Mapping[str, Any]) -> Looks:
    held = np.load(io.BytesIO(zstandard.ZstdDecompressor().decompress(data)), allow_pickle=False)
    words = json.loads(held["words"].tobytes())
    columns = {
        name: Column(held[f"code{at}"], tuple(known)) for at, (name, known) in enumerate(words["columns"].items())
    }
    scale = facts.get("scale")
    return Looks(
        **{name: held[name] for name in NUMBERS},
        probe=tuple(words["probe"]),
        candidate=columns.pop(""),
        groups=columns,
        scale=None if scale is None else (scale[0], scale[1]),
        told=tuple(facts.get("told", ())),
        algorithm=facts.get("algorithm"),
        best=facts.get("best"),
        floor=facts.get("floor"),
        not_acquired=facts.get("not_acquired"),
    )


SIGNALS = (FaceLooks(),)
