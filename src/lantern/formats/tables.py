"""CSV with a header: marks, series, times. Every fault has file, line and column."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Iterator, Mapping, Sequence
from typing import cast, get_args

import numpy as np

from lantern.core.faults import FaultList
from lantern.core.objects.audit import HandCount
from lantern.core.signals import Floats, Series
from lantern.core.tuning.scoring import Label, Mark

COUNT_COLUMNS = ("start_s", "end_s", "in", "out")
MARK_COLUMNS = ("start_s", "end_s", "label", "detector", "note")


def read_text(data: bytes, faults: FaultList, *, where: str) -> str:
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        faults.add(where, f"byte {error.start} is not UTF-8", "a text file in UTF-8")
        faults.refuse_if_any()
        raise


def _rows(text: str, faults: FaultList, where: str) -> Iterator[tuple[int, list[str]]]:
    reader = csv.reader(io.StringIO(text, newline=""), strict=True)
    try:
        for row in reader:
            if row:
                yield reader.line_num, [cell.strip() for cell in row]
    except csv.Error as error:
        faults.add(f"{where}, line {reader.line_num}", str(error), "comma-separated values")


def number(cell: str, faults: FaultList, *, where: str) -> float:
    """A finite number with a decimal point; NaN (with a fault noted) for anything else."""
    try:
        value = float(cell)
    except ValueError:
        hint = "a number with a decimal point, not a comma" if "," in cell else "a number"
        faults.add(where, f"{cell!r}", hint)
        return math.nan
    if not math.isfinite(value):
        faults.add(where, f"{cell!r}", "a finite number")
    return value


def read_marks(data: bytes, *, where: str) -> list[Mark]:
    """Marks, in the order of the file."""
    faults = FaultList()
    rows = list(_rows(read_text(data, faults, where=where), faults, where))
    faults.refuse_if_any()
    _check_header(rows, MARK_COLUMNS, faults, where)
    faults.refuse_if_any()
    marks: list[Mark] = []
    for line, row in rows[1:]:
        place = f"{where}, line {line}"
        if len(row) != len(MARK_COLUMNS):
            faults.add(place, f"{len(row)} columns", f"{len(MARK_COLUMNS)}: {','.join(MARK_COLUMNS)}")
            continue
        start = number(row[0], faults, where=f"{place}, start_s")
        end = number(row[1], faults, where=f"{place}, end_s")
        if start < 0:
            faults.add(f"{place}, start_s", f"{start:g}", "0 or more: seconds from the take's start")
        if end <= start:
            faults.add(f"{place}, end_s", f"{end:g} does not follow start_s {start:g}", "an end after the start")
        if row[2] not in get_args(Label):
            faults.add(f"{place}, label", f"{row[2]!r}", f"one of {', '.join(get_args(Label))}")
        marks.append(Mark(start, end, cast(Label, row[2]), row[3], row[4]))
    faults.refuse_if_any()
    return marks


def write_marks(marks: Sequence[Mark]) -> str:
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(MARK_COLUMNS)
    for mark in marks:
        writer.writerow((f"{mark.start_s:.10g}", f"{mark.end_s:.10g}", mark.label, mark.detector, mark.note))
    return out.getvalue()


def read_hand_counts(data: bytes, *, where: str) -> list[HandCount] | None:
    """CSV `start_s,end_s,in,out`; None where the header is another, for then it may be marks."""
    faults = FaultList()
    rows = list(_rows(read_text(data, faults, where=where), faults, where))
    faults.refuse_if_any()
    if not rows or rows[0][1] != list(COUNT_COLUMNS):
        return None
    out = []
    for line, row in rows[1:]:
        place = f"{where}, line {line}"
        if len(row) != len(COUNT_COLUMNS):
            faults.add(place, f"{len(row)} columns", f"{len(COUNT_COLUMNS)} as in the header")
            continue
        start, end, into, left = (
            number(cell, faults, where=f"{place}, {name}") for cell, name in zip(row, COUNT_COLUMNS, strict=True)
        )
        if not start < end:
            faults.add(place, f"from {start:g} s to {end:g} s", "an end after the start")
        for name, n in (("in", into), ("out", left)):
            if not (n >= 0 and n == math.floor(n)):
                faults.add(f"{place}, {name}", f"{n:g}", "a whole number from 0")
        out.append((start, end, into, left))
    if not out:
        faults.add(where, "no interval in it", "at least one row after the header")
    faults.refuse_if_any()
    return [HandCount(start, end, int(into), int(left)) for start, end, into, left in out]


def write_hand_counts(rows: Sequence[Sequence[float]]) -> str:
    """The file that `read_hand_counts` reads."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COUNT_COLUMNS)
    writer.writerows((f"{start:.10g}", f"{end:.10g}", int(into), int(left)) for start, end, into, left in rows)
    return out.getvalue()


def read_times(data: bytes, *, where: str) -> Floats:
    """The column `t_s`: seconds from the take's start, running forward."""
    return read_series(data, where=where, least_columns=1)[0]


def read_series(data: bytes, *, where: str, least_columns: int = 2) -> tuple[Floats, dict[str, Floats]]:
    """`t_s` and the named columns after it."""
    faults = FaultList()
    rows = list(_rows(read_text(data, faults, where=where), faults, where))
    faults.refuse_if_any()
    header = rows[0][1] if rows else []
    if not header or header[0] != "t_s" or len(header) < least_columns:
        faults.add(f"{where}, line 1", f"header {','.join(header)!r}", "t_s,NAME,..." if least_columns > 1 else "t_s")
    elif len(set(header)) < len(header):
        faults.add(f"{where}, line 1", "two columns of one name", "a name of its own for each column")
    if len(rows) < 2:
        faults.add(where, "no row of data", "at least one row after the header")
    faults.refuse_if_any()
    table = np.empty((len(rows) - 1, len(header)))
    before = -math.inf
    for at, (line, row) in enumerate(rows[1:]):
        place = f"{where}, line {line}"
        if len(row) != len(header):
            faults.add(place, f"{len(row)} columns", f"{len(header)} as in the header")
            continue
        for column, cell in enumerate(row):
            table[at, column] = number(cell, faults, where=f"{place}, {header[column]}")
        if table[at, 0] <= before:
            faults.add(f"{place}, t_s", f"{table[at, 0]:g} does not follow {before:g}", "times that run forward")
        before = table[at, 0]
        if faults.full():
            break
    faults.refuse_if_any()
    return table[:, 0].copy(), {name: table[:, i].copy() for i, name in enumerate(header) if i}


def series_of(t_s: Floats, columns: dict[str, Floats], units: dict[str, str]) -> dict[str, Series]:
    return {name: Series(t_s, x, units.get(name, ""), name) for name, x in columns.items()}


def write_series(columns: Mapping[str, Series]) -> str:
    """CSV with header `t_s,NAME,...`; a column that has no sample at a time (the shutter was closed) leaves it empty."""
    times = np.unique(np.concatenate([series.t_s for series in columns.values()]))
    cells = [[f"{t:.9g}" for t in times.tolist()]]
    for series in columns.values():
        at = dict(zip(series.t_s.tolist(), series.x.tolist(), strict=True))
        cells.append([f"{at[t]:.9g}" if t in at else "" for t in times.tolist()])
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["t_s", *columns])
    writer.writerows(zip(*cells, strict=True))
    return out.getvalue()


def _check_header(rows: list[tuple[int, list[str]]], wanted: Sequence[str], faults: FaultList, where: str) -> None:
    header = rows[0][1] if rows else []
    if header != list(wanted):
        faults.add(f"{where}, line 1", f"header {','.join(header)!r}", ",".join(wanted))
