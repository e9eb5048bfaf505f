"""Readings over time, recorded as such: a CSV file in our own layout, or a table of another program."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from lantern.core.signals import Floats, Series
from lantern.formats.columns import has_own_header, read_columns
from lantern.formats.folder import TakeFolder
from lantern.formats.packing import pack, unpack
from lantern.formats.sidecar import TakeInfo
from lantern.formats.tables import read_series, series_of, write_series
from lantern.formats.units import Unit, inside_of, unit_of
from lantern.signals.looks import TABLES, Look, Unread
from lantern.signals.series.feed import ReadingsFeed
from lantern.signals.series.looks import look_at_readings
from lantern.signals.signal import Block, Signal, Stored, Timed
from lantern.signals.space import NOWHERE

Columns = dict[str, Series]


class Readings(Signal[Columns, Mapping[str, Series]]):
    """Named columns on one clock: `facts` hold [name, unit] of each, and what the device had set while it recorded."""

    name = "series"
    words = "readings over time, as a CSV file"
    held = True
    space = NOWHERE
    endings = TABLES
    feed = ReadingsFeed

    def may_be(self, unread: Unread) -> int:
        return 1 if unread.layout is not None else 0

    def look(self, unread: Unread) -> Look:
        return look_at_readings(unread)

    def faults(self, info: TakeInfo) -> list[str]:
        if info.fps is None or info.times is None:
            return []
        return ["a series has fps (rows a second) or times (a column), not both; neither: its first column is t_s"]

    def told(self, drawn: Mapping[str, Any], info: TakeInfo) -> list[str]:
        """Return what becomes of columns that are converted."""
        out = []
        for name, values in drawn["columns"].items():
            unit = unit_of(info.units.get(name, ""))
            if unit is not None and unit.inside != unit.symbol:
                ends = np.array([min(values), max(values)])
                low, high = unit.to_inside(ends)
                given = f"{ends[0]:.4g} to {ends[1]:.4g} {unit.symbol}"
                out.append(f"{name}: {given} are {low:.4g} to {high:.4g} {unit.inside}")
        return out

    def read(self, info: TakeInfo, data: Path, folder: TakeFolder) -> Columns:
        """Read a file in our own layout, which begins with `t_s`; else as another program wrote it, if the sidecar says
        where the times are.
        """
        if (info.times is None and info.fps is None) or (info.times in (None, "t_s") and has_own_header(data)):
            t_s, columns = read_series(data, where=data.name, units=info.units, limits=folder.limits)
        else:
            t_s, columns = read_columns(
                data, where=data.name, times=info.times, fps=info.fps, units=info.units, limits=folder.limits
            )
        return series_of(t_s, columns, info.units)

    def facts(self, info: TakeInfo, value: Columns) -> dict[str, Any]:
        columns = [[series.name, series.unit] for series in value.values()]
        return {"columns": columns, "holds": columns, "recorded": asdict(info.recorded())}

    def named(self, facts: Mapping[str, Any]) -> list[tuple[str, str]]:
        """Its columns."""
        units = [(name, text, _stored_before(text)) for name, text in facts["columns"]]
        return [(name, text if unit is None else unit.inside) for name, text, unit in units]

    def t_s(self, value: Columns) -> Floats:
        return next(iter(value.values())).t_s

    def samples(self, value: Columns) -> int:
        return int(self.t_s(value).size)

    def length_s(self, value: Columns) -> float:
        return next(iter(value.values())).length_s

    def pack(self, value: Columns) -> Iterator[Block]:
        table = np.stack([series.x for series in value.values()])[:, :, None]
        yield table.shape[0], partial(pack, table)

    def alike(self, first: Mapping[str, Series], sample: Mapping[str, Series]) -> bool:
        """The same columns, in the same units."""
        return [(name, each.unit) for name, each in first.items()] == [
            (name, each.unit) for name, each in sample.items()
        ]

    def piece(self, samples: Sequence[Timed[Mapping[str, Series]]], known: Mapping[str, Any]) -> Columns:
        t_s = np.array([t for t, _ in samples])
        first = samples[0][1]
        return {
            name: Series(t_s, np.array([float(sample[name].x[0]) for _, sample in samples]), first[name].unit, name)
            for name in first
        }

    def joined(self, pieces: Sequence[Columns], t_s: Floats) -> Columns:
        return {
            name: Series(t_s, np.concatenate([piece[name].x for piece in pieces]), series.unit, name)
            for name, series in pieces[0].items()
        }

    def described(self, facts: Mapping[str, Any]) -> dict[str, Any]:
        return {key: value for key, value in facts["recorded"].items() if value is not None}

    def write(self, info: TakeInfo, value: Columns, folder: Path) -> TakeInfo:
        (folder / "readings.csv").write_text(write_series(value))
        known = {name: inside_of(series.unit) for name, series in value.items() if series.unit}
        units = {name: unit.symbol for name, unit in known.items() if unit is not None}
        return info.model_copy(update={"data": "readings.csv", "fps": None, "times": None, "units": units})

    def unpack(self, stored: Stored) -> Columns:
        columns = stored.facts["columns"]
        size = {"count": len(columns), "height": stored.samples, "width": 1}
        table = unpack(stored.only_block(), **size, dtype="float64")
        out = {}
        for n, (name, text) in enumerate(columns):
            x, unit = table[n, :, 0].copy(), _stored_before(text)
            out[name] = (
                Series(stored.t_s, x, text, name)
                if unit is None
                else Series(stored.t_s, unit.to_inside(x), unit.inside, name)
            )
        return out


def _stored_before(text: str) -> Unit | None:
    """Return what a unit means that was stored as the file had it, before units were converted; None: it is the
    program's own, or is none.
    """
    return None if text == "" or inside_of(text) is not None else unit_of(text)


SIGNALS = (Readings(),)
