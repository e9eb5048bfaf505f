"""Sweeps of a sounder: a CSV file of echoes, `t_s,range_m,bearing_deg,strength_db`; a sweep without one has a row of its time alone."""

from __future__ import annotations

import csv
import json
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from lantern.core.echoes.family import as_dicts
from lantern.core.echoes.sweeps import Echo, Sweeps
from lantern.signals.echoes.feed import SweepFeed

from lantern.core.signals import Floats
from lantern.formats.folder import TakeFolder
from lantern.formats.sidecar import TakeInfo
from lantern.signals.looks import Look, Unread
from lantern.signals.signal import Block, Signal, Stored, Timed
from lantern.signals.space import SENSOR

COLUMNS = ("t_s", "range_m", "bearing_deg", "strength_db")


class Soundings(Signal[Sweeps, Sequence[Any]]):
    name = "echoes"
    words = "sweeps of a sounder, as a CSV file"
    held = True
    space = SENSOR
    ground = "/static/signals/sector.js"
    endings = (".csv",)
    feed = SweepFeed

    def may_be(self, unread: Unread) -> int:
        return 3 if unread.layout is not None and unread.layout.names == COLUMNS else 0

    def look(self, unread: Unread) -> Look:
        sweeps = _read(unread.path)
        facts = [f"{len(sweeps)} sweeps"]
        return Look(["echoes"], facts, {}, {"echoes": []}, {}, len(sweeps), length_s={"": float(sweeps.t_s[-1])})

    def read(self, info: TakeInfo, data: Path, folder: TakeFolder) -> Sweeps:
        return _read(data)

    def facts(self, info: TakeInfo, value: Sweeps) -> dict[str, Any]:
        reach = max((echo.range_m for each in value.echoes for echo in each), default=1.0)
        return {"range_m": float(np.ceil(reach)), "holds": [[sum(len(each) for each in value.echoes), "echoes"]]}

    def shown(self, facts: Mapping[str, Any]) -> dict[str, Any]:
        return {"rangeM": facts["range_m"]}

    def sketch(self, facts: Mapping[str, Any], value: Sweeps) -> dict[str, Any]:
        return {"points": [[*echo.place, f"{echo.strength_db:g} dB"] for each in value.echoes for echo in each]}

    def t_s(self, value: Sweeps) -> Floats:
        return value.t_s

    def samples(self, value: Sweeps) -> int:
        return len(value)

    def length_s(self, value: Sweeps) -> float:
        return float(value.t_s[-1])

    def pack(self, value: Sweeps) -> Iterator[Block]:
        yield len(value), lambda: json.dumps(as_dicts(value)).encode()

    def unpack(self, stored: Stored) -> Sweeps:
        held = json.loads(stored.only_block())
        return Sweeps(stored.t_s, tuple(tuple(Echo(**echo) for echo in each) for each in held))

    def piece(self, samples: Sequence[Timed[Sequence[Any]]], known: Mapping[str, Any]) -> Sweeps:
        return Sweeps(np.array([t for t, _ in samples]), tuple(tuple(each) for _, each in samples))

    def joined(self, pieces: Sequence[Sweeps], t_s: Floats) -> Sweeps:
        return Sweeps(t_s, tuple(each for piece in pieces for each in piece.echoes))

    def write(self, info: TakeInfo, value: Sweeps, folder: Path) -> TakeInfo:
        with (folder / "echoes.csv").open("w", newline="") as file:
            writer = csv.writer(file)
            writer.writerow(COLUMNS)
            for t, echoes in zip(value.t_s.tolist(), value.echoes, strict=True):
                rows = [[t, e.range_m, e.bearing_deg, e.strength_db] for e in echoes]
                writer.writerows(rows or [[t, "", "", ""]])
        return info.model_copy(update={"data": "echoes.csv"})


def _read(path: Path) -> Sweeps:
    found: dict[float, list[Echo]] = {}
    with path.open(newline="") as file:
        for row in csv.DictReader(file):
            echoes = found.setdefault(float(row["t_s"]), [])
            if row["range_m"]:
                echoes.append(Echo(*(float(row[column]) for column in COLUMNS[1:])))
    return Sweeps(np.array(list(found)), tuple(tuple(each) for each in found.values()))


SIGNALS = (Soundings(),)
