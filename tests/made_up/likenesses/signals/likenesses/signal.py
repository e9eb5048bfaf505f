"""Probes of a gate that compares voices: a CSV file `t_s,probe,nearest,score`."""

from __future__ import annotations

import csv
import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import astuple
from pathlib import Path
from typing import Any

import numpy as np
from lantern.core.likenesses.probes import Likeness, Probes
from lantern.signals.likenesses.feed import ProbeFeed

from lantern.core.signals import Floats
from lantern.formats.folder import TakeFolder
from lantern.formats.sidecar import TakeInfo
from lantern.signals.signal import Block, Signal, Stored, Timed
from lantern.signals.space import NOWHERE

COLUMNS = ("t_s", "probe", "nearest", "score")


class Comparisons(Signal[Probes, Sequence[Any]]):
    name = "likenesses"
    words = "probes of a gate that knows voices, as a CSV file"
    held = True
    space = NOWHERE
    endings = (".csv",)
    feed = ProbeFeed

    def read(self, info: TakeInfo, data: Path, folder: TakeFolder) -> Probes:
        with data.open(newline="") as file:
            rows = list(csv.DictReader(file))
        came = tuple(Likeness(row["probe"], row["nearest"], float(row["score"])) for row in rows)
        return Probes(np.array([float(row["t_s"]) for row in rows]), came)

    def facts(self, info: TakeInfo, value: Probes) -> dict[str, Any]:
        return {"holds": [[len(value), "probes"]]}

    def t_s(self, value: Probes) -> Floats:
        return value.t_s

    def samples(self, value: Probes) -> int:
        return len(value)

    def length_s(self, value: Probes) -> float:
        return float(value.t_s[-1])

    def pack(self, value: Probes) -> Iterator[Block]:
        yield len(value), lambda: json.dumps([astuple(each) for each in value.likenesses]).encode()

    def unpack(self, stored: Stored) -> Probes:
        return Probes(stored.t_s, tuple(Likeness(*each) for each in json.loads(stored.only_block())))

    def piece(self, samples: Sequence[Timed[Sequence[Any]]], known: Mapping[str, Any]) -> Probes:
        rows = [(t, each) for t, came in samples for each in came]
        return Probes(np.array([t for t, _ in rows]), tuple(each for _, each in rows))

    def joined(self, pieces: Sequence[Probes], t_s: Floats) -> Probes:
        at = np.concatenate([piece.t_s for piece in pieces])
        return Probes(at, tuple(each for piece in pieces for each in piece.likenesses))

    def write(self, info: TakeInfo, value: Probes, folder: Path) -> TakeInfo:
        with (folder / "probes.csv").open("w", newline="") as file:
            writer = csv.writer(file)
            writer.writerow(COLUMNS)
            for t, each in zip(value.t_s.tolist(), value.likenesses, strict=True):
                writer.writerow([t, *astuple(each)])
        return info.model_copy(update={"data": "probes.csv"})


SIGNALS = (Comparisons(),)
