"""Fixes of badges on the plan: a CSV file `t_s,badge,x_m,y_m`."""

from __future__ import annotations

import csv
import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import astuple
from pathlib import Path
from typing import Any

import numpy as np
from lantern.core.badges.fixes import Fix, Fixes
from lantern.signals.badges.feed import FixFeed

from lantern.core.signals import Floats
from lantern.formats.folder import TakeFolder
from lantern.formats.sidecar import TakeInfo
from lantern.signals.signal import Block, Signal, Stored, Timed
from lantern.signals.space import PLAN

COLUMNS = ("t_s", "badge", "x_m", "y_m")


class BadgeFixes(Signal[Fixes, Sequence[Any]]):
    name = "fixes"
    words = "badges on the plan, as a CSV file"
    held = True
    space = PLAN
    ground = "/static/signals/onplan.js"
    endings = (".csv",)
    feed = FixFeed

    def read(self, info: TakeInfo, data: Path, folder: TakeFolder) -> Fixes:
        found: dict[float, list[Fix]] = {}
        with data.open(newline="") as file:
            for row in csv.DictReader(file):
                fix = Fix(row["badge"], float(row["x_m"]), float(row["y_m"]))
                found.setdefault(float(row["t_s"]), []).append(fix)
        return Fixes(np.array(list(found)), tuple(tuple(each) for each in found.values()))

    def facts(self, info: TakeInfo, value: Fixes) -> dict[str, Any]:
        return {"holds": [[len({fix.badge for each in value.moments for fix in each}), "badges"]]}

    def sketch(self, facts: Mapping[str, Any], value: Fixes) -> dict[str, Any]:
        found = {(fix.x_m, fix.y_m, fix.badge) for each in value.moments for fix in each}
        return {"points": sorted(found)}

    def t_s(self, value: Fixes) -> Floats:
        return value.t_s

    def samples(self, value: Fixes) -> int:
        return len(value)

    def length_s(self, value: Fixes) -> float:
        return float(value.t_s[-1])

    def pack(self, value: Fixes) -> Iterator[Block]:
        yield len(value), lambda: json.dumps([[astuple(fix) for fix in each] for each in value.moments]).encode()

    def unpack(self, stored: Stored) -> Fixes:
        held = json.loads(stored.only_block())
        return Fixes(stored.t_s, tuple(tuple(Fix(*fix) for fix in each) for each in held))

    def piece(self, samples: Sequence[Timed[Sequence[Any]]], known: Mapping[str, Any]) -> Fixes:
        return Fixes(np.array([t for t, _ in samples]), tuple(tuple(each) for _, each in samples))

    def joined(self, pieces: Sequence[Fixes], t_s: Floats) -> Fixes:
        return Fixes(t_s, tuple(each for piece in pieces for each in piece.moments))

    def write(self, info: TakeInfo, value: Fixes, folder: Path) -> TakeInfo:
        with (folder / "fixes.csv").open("w", newline="") as file:
            writer = csv.writer(file)
            writer.writerow(COLUMNS)
            for t, each in zip(value.t_s.tolist(), value.moments, strict=True):
                writer.writerows([t, *astuple(fix)] for fix in each)
        return info.model_copy(update={"data": "fixes.csv"})


SIGNALS = (BadgeFixes(),)
