"""Readings over time as other programs write them: any of three delimiters, decimal commas, a column of times or so many rows a second.

A first row that holds no number names the columns; where there is none they are called `column 1`, `column 2` and so on. A column
whose first cell is no number holds no reading, and is left out.
"""

from __future__ import annotations

import math
import re
from array import array
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from itertools import islice, pairwise
from pathlib import Path
from typing import Any

import numpy as np

from lantern.core.faults import FaultList
from lantern.core.signals import Floats
from lantern.formats.limits import DEFAULT, Limits
from lantern.formats.tables import check_columns, unguarded
from lantern.formats.text import Source, name, number, shown, with_point

DELIMITERS = (",", ";", "\t")
DAY_S = 86_400.0
UNIX_MS = 1e11  # what counts from 1970 and is larger counts milliseconds
IN_MS = re.compile(r"(^|[^a-z])(ms|msec|millis\w*)([^a-z]|$)", re.IGNORECASE)
OF_DAY = re.compile(r"(\d{1,2}):(\d\d)(?::(\d\d(?:[.,]\d+)?))?")
DAY_FIRST = re.compile(r"(\d{1,2})\.(\d{1,2})\.(\d{4})[ T]+(\S+)")  # 04.03.2026 05:12:00
TIMES = "seconds, a time such as 05:12:00, or a date and time such as 2026-03-04T05:12:00"


@dataclass(frozen=True)
class Layout:
    """How a table is laid out: `names` of all columns, `first`: its first row of data."""

    delimiter: str
    named: bool
    names: tuple[str, ...]
    first: tuple[str, ...]

    @property
    def readings(self) -> tuple[str, ...]:
        """Columns that hold numbers."""
        return tuple(n for n, cell in zip(self.names, self.first, strict=False) if is_number(cell, self.delimiter))

    @property
    def times(self) -> tuple[str, ...]:
        """Columns that may tell when a row was taken, the likeliest first."""
        may = [n for n, cell in zip(self.names, self.first, strict=False) if moment(cell, self.delimiter) is not None]
        dated = [n for n, cell in zip(self.names, self.first, strict=False) if isinstance(moment(cell), datetime)]
        called = [n for n in may if re.search(r"time|zeit|^t(_s)?$|date|stamp|sec", n, re.IGNORECASE)]
        return tuple(dict.fromkeys([*dated, *called, *may]))


def is_number(cell: str, delimiter: str = ",") -> bool:
    """A finite one."""
    try:
        return math.isfinite(float(_plain(cell, delimiter))) and "_" not in cell
    except ValueError:
        return False


def _plain(cell: str, delimiter: str) -> str:
    """Where commas do not part cells they part decimals."""
    return cell if delimiter == "," else with_point(cell)


def layout_of(content: bytes | Path, *, where: str) -> Layout:
    """Return the layout by the first two rows. Raises `Refused` where there is no row of data."""
    faults = FaultList()
    first_line = next(Source(content, where).lines(faults), "")
    delimiter = max(DELIMITERS, key=first_line.count)
    rows = Source(content, where, delimiter).rows(faults)
    first = next(rows, (1, []))[1]
    named = not any(is_number(cell, delimiter) for cell in first)
    data = next(rows, (2, []))[1] if named else first
    if not data:
        faults.add(where, "no row of data", "rows of readings, the names of the columns above them")
    made_up = tuple(f"column {n + 1}" for n in range(len(first)))
    names = tuple(unguarded(cell) or other for cell, other in zip(first, made_up, strict=True)) if named else made_up
    if len(set(names)) < len(names):
        twice = next(n for n in names if names.count(n) > 1)
        faults.add(f"{where}, line 1", f"two columns {shown(twice)}", "a name of its own for each column")
    for each in names:
        name(each, faults, where=f"{where}, line 1")
    faults.refuse_if_any()
    return Layout(delimiter, named, names, tuple(data))


def rising(content: bytes | Path, layout: Layout, *, where: str, looked_at: int = 50) -> list[str]:
    """Columns that may tell when a row was taken, the likeliest first: in the first rows they run forward."""
    rows = Source(content, where, layout.delimiter).rows(FaultList())
    some = [row for _, row in islice(rows, 1 if layout.named else 0, looked_at) if len(row) == len(layout.names)]
    found = []
    for column in layout.times:
        moments = [moment(row[layout.names.index(column)], layout.delimiter) for row in some]
        if all(_before(a, b) for a, b in pairwise(moments)):
            found.append(column)
    return found


def _before(a: Any, b: Any) -> bool:
    return a is not None and type(a) is type(b) and bool(a < b)


def has_own_header(content: bytes | Path) -> bool:
    """Return whether the first column is named `t_s`, as `read_series` wants it."""
    return next(Source(content, "").lines(FaultList()), "").split(",", 1)[0].strip().strip('"') == "t_s"


def moment(cell: str, delimiter: str = ",") -> float | datetime | timedelta | None:
    """Seconds, a date and time (without an offset where it has none), a time of day; None: it is no time."""
    if is_number(cell, delimiter):
        return float(_plain(cell, delimiter))
    if found := OF_DAY.fullmatch(cell):
        hours, minutes, seconds = int(found[1]), int(found[2]), float(with_point(found[3] or "0"))
        return timedelta(hours=hours, minutes=minutes, seconds=seconds) if hours < 24 and minutes < 60 else None
    if found := DAY_FIRST.fullmatch(cell):
        cell = f"{found[3]}-{int(found[2]):02}-{int(found[1]):02}T{found[4]}"
    try:
        return datetime.fromisoformat(with_point(cell)) if len(cell) >= len("2026-03-04T05") else None
    except ValueError:
        return None


def read_columns(
    content: bytes | Path,
    *,
    where: str,
    times: str | None,
    fps: float | None,
    units: Mapping[str, str] | None = None,
    limits: Limits = DEFAULT,
) -> tuple[Floats, dict[str, Floats]]:
    """`t_s` from the first row on, and the columns that hold numbers. Either `times`, a column's name, or `fps`, rows a second.

    Raises `Refused` with the lines of the file.
    """
    layout, faults = layout_of(content, where=where), FaultList()
    if times is not None and times not in layout.names:
        faults.add(f"{where}: times", f"there is no column {shown(times)}", f"one of {', '.join(layout.names)}")
    readings = [column for column in layout.readings if column != times]
    if not readings:
        faults.add(where, "no column of readings", "a column of numbers beside the times")
    faults.refuse_if_any()
    source = Source(content, where, layout.delimiter)
    clock = _Clock(source, times, layout, fps)
    table = _table(source, layout, clock, readings, faults, limits)
    header = ["t_s" if times is None else times, *readings]
    check_columns(table, header, units or {}, faults, source, named=layout.named)
    faults.refuse_if_any()
    return table[0], {column: table[n] for n, column in enumerate(readings, 1)}


def _table(
    source: Source, layout: Layout, clock: _Clock, readings: Sequence[str], faults: FaultList, limits: Limits
) -> Floats:
    """(columns, rows), times first."""
    at = [layout.names.index(column) for column in readings]
    cells, count, width = array("d"), 0, len(layout.names)
    rows = source.rows(faults)
    if layout.named:
        next(rows)
    for line, row in rows:
        place = f"{source.where}, line {line}"
        if len(row) != width:
            faults.add(place, f"{len(row)} columns", f"{width} as in the first row")
        else:
            cells.append(clock.read(row, count, faults, place))
            plain = (_plain(row[n], layout.delimiter) for n in at)
            named = zip(plain, readings, strict=True)
            cells.extend(number(cell, faults, where=f"{place}, {column}") for cell, column in named)
            count += 1
        if len(cells) > limits.cells:
            what = f"{len(readings) + 1} columns of more than {count - 1} rows"
            faults.add(source.where, what, f"at most {limits.cells} values (a setting)")
        if faults.full() or len(cells) > limits.cells:
            break
    faults.refuse_if_any()
    return np.frombuffer(cells, dtype=np.float64).reshape(count, len(readings) + 1).T.copy()


class _Clock:
    """Seconds since the first row."""

    def __init__(self, source: Source, times: str | None, layout: Layout, fps: float | None) -> None:
        self.times, self.delimiter, self.fps = times, layout.delimiter, fps
        self.at = layout.names.index(times) if times is not None else 0
        self.first: float | datetime | timedelta | None = None
        self.factor, self.last_s, self.days_s = 1.0, 0.0, 0.0

    def read(self, row: Sequence[str], count: int, faults: FaultList, place: str) -> float:
        if self.times is None:
            assert self.fps is not None
            return count / self.fps
        now = moment(row[self.at], self.delimiter)
        if self.first is None and now is not None:
            self.first = now
            ms = isinstance(now, float) and (now > UNIX_MS or bool(IN_MS.search(self.times)))
            self.factor = 0.001 if ms else 1.0
        seconds = self._since(now)
        if seconds is None:
            faults.add(f"{place}, {self.times}", shown(row[self.at]), f"{TIMES}, alike in all rows")
            return float("nan")
        self.last_s = seconds
        return round(seconds, 6)

    def _since(self, now: float | datetime | timedelta | None) -> float | None:
        first = self.first
        if isinstance(now, float) and isinstance(first, float):
            return (now - first) * self.factor
        if isinstance(now, datetime) and isinstance(first, datetime):
            return (now - first).total_seconds() if (now.tzinfo is None) == (first.tzinfo is None) else None
        if isinstance(now, timedelta) and isinstance(first, timedelta):
            seconds = (now - first).total_seconds() + self.days_s
            if seconds < self.last_s - DAY_S / 2:  # past midnight
                self.days_s += DAY_S
                seconds += DAY_S
            return seconds
        return None


def begin_of(content: bytes | Path, times: str, layout: Layout, *, where: str) -> datetime | None:
    """Return when the first row was taken, where a column of times tells the date; without an offset where it
    has none.
    """
    cell = layout.first[layout.names.index(times)]
    first = moment(cell, layout.delimiter)
    if isinstance(first, timedelta):  # the date may stand in a column of its own
        days = (moment(f"{each} 00:00", layout.delimiter) for each in layout.first)
        date = next((day for day in days if isinstance(day, datetime)), None)
        return None if date is None else date + first
    if isinstance(first, float) and first > 1e9:  # seconds or milliseconds since 1970
        return datetime.fromtimestamp(first / (1000 if first > UNIX_MS else 1), UTC) if first < 1e13 else None
    return first if isinstance(first, datetime) else None
