"""Reads of a plate reader as text: CSV with a header. Every fault has file, line and column."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

import numpy as np

from lantern.core.faults import FaultList
from lantern.core.plates.reads import EPOCH, Reads
from lantern.formats.limits import DEFAULT, LONGEST_S, MOST_PX, Limits
from lantern.formats.tables import guarded, unguarded
from lantern.formats.text import Source, bounded, exact, has_controls, name, number, shown

COLUMNS = (
    *("t_s", "vehicle", "text", "confidence", "char_confidence", "left", "top", "width", "height"),
    *("vehicle_left", "vehicle_top", "vehicle_width", "vehicle_height", "truth"),
)
FURTHER = ("colour", "vehicle_type", "country")  # any of them may follow, and is kept as it is
MOST_CHARACTERS = 32  # of a text
SHARE = "0 to 1 (a scale of 0 to 100: divide by 100)"
Box = tuple[float, float, float, float]


def read_plates(
    content: bytes | Path, *, where: str, start: datetime = EPOCH, light: str | None = None, limits: Limits = DEFAULT
) -> Reads:
    """Reads in any order of vehicles; those of one vehicle run forward in time. Raises `Refused`."""
    faults, source = FaultList(), Source(content, where)
    rows = source.rows(faults)
    _, header = next(rows, (1, []))
    further = tuple(header[len(COLUMNS) :])
    if tuple(header[: len(COLUMNS)]) != COLUMNS or not set(further) <= set(FURTHER) or len(set(further)) < len(further):
        expected = f"{','.join(COLUMNS)}, then any of {', '.join(FURTHER)}"
        faults.add(f"{where}, line 1", f"header {shown(','.join(header))}", expected)
        faults.refuse_if_any()
    table: list[_Row] = []
    last: dict[str, float] = {}
    for line, cells in rows:
        place = f"{where}, line {line}"
        if len(cells) != len(header):
            faults.add(place, f"{len(cells)} columns", f"{len(header)} as in the header")
            continue
        row = _Row(cells, faults, place)
        if row.t_s < last.get(row.vehicle, -math.inf):
            what = f"{row.t_s:g} comes before {last[row.vehicle]:g} of vehicle {row.vehicle}"
            faults.add(f"{place}, t_s", what, "times that run forward")
        last[row.vehicle] = row.t_s
        table.append(row)
        if len(table) > limits.rows:
            faults.add(where, f"more than {limits.rows} rows", f"at most {limits.rows} (a setting)")
        if faults.full() or len(table) > limits.rows:
            break
    if not table and not faults.faults:
        faults.add(where, "no row of data", "at least one row after the header")
    faults.refuse_if_any()
    table.sort(key=lambda row: row.t_s)  # stable: of equal times as in the file
    return Reads(
        t_s=np.array([row.t_s for row in table]),
        vehicle=tuple(row.vehicle for row in table),
        text=tuple(row.text for row in table),
        confidence=np.array([row.confidence for row in table]),
        chars=tuple(row.chars for row in table),
        plate=np.array([row.plate for row in table], dtype=np.float64),
        car=np.array([row.car for row in table], dtype=np.float64),
        truth=tuple(row.truth for row in table),
        start=start,
        also={column: tuple(row.further[n] for row in table) for n, column in enumerate(further)},
        light=light,
    )


class _Row:
    """One row; what is wrong with it is noted."""

    def __init__(self, cells: Sequence[str], faults: FaultList, place: str) -> None:
        by_name = dict(zip(COLUMNS, cells, strict=False))

        def value(column: str, low: float, high: float, unit: str = "") -> float:
            where = f"{place}, {column}"
            return bounded(number(by_name[column], faults, where=where), low, high, faults, where=where, unit=unit)

        def text(column: str) -> str:
            cell = unguarded(by_name[column])
            if len(cell) > MOST_CHARACTERS or has_controls(cell):
                faults.add(f"{place}, {column}", shown(cell), f"at most {MOST_CHARACTERS} characters, none a control")
            return cell

        self.t_s = value("t_s", 0, LONGEST_S, " s")
        self.vehicle = name(unguarded(by_name["vehicle"]), faults, where=f"{place}, vehicle")
        if not self.vehicle:
            faults.add(f"{place}, vehicle", "is empty", "a name for the vehicle, alike in all its reads")
        self.text, self.truth = text("text"), text("truth")
        self.confidence = _share(by_name["confidence"], faults, f"{place}, confidence")
        sure = by_name["char_confidence"].split()
        self.chars = tuple(_share(cell, faults, f"{place}, char_confidence") for cell in sure)
        self.plate = _box(by_name, "", faults, place)
        self.car = _box(by_name, "vehicle_", faults, place)
        self.further = [unguarded(cell) for cell in cells[len(COLUMNS) :]]


def _share(cell: str, faults: FaultList, where: str) -> float:
    value = number(cell, faults, where=where)
    if value < 0 or value > 1:
        faults.add(where, f"{value:g}", SHARE)
    return value


def _box(by_name: dict[str, str], prefix: str, faults: FaultList, place: str) -> Box:
    """A box, or NaN where there is none."""
    columns = [f"{prefix}{column}" for column in ("left", "top", "width", "height")]
    given = [column for column in columns if by_name[column]]
    nothing = (np.nan,) * 4
    if not given:
        return nothing
    if len(given) < len(columns):
        missing = next(column for column in columns if column not in given)
        faults.add(f"{place}, {missing}", "is empty", f"all of {', '.join(columns)}, or none")
        return nothing
    box = [number(by_name[column], faults, where=f"{place}, {column}") for column in columns]
    for column, cell in zip(columns[:2], box[:2], strict=True):
        bounded(cell, -MOST_PX, MOST_PX, faults, where=f"{place}, {column}", unit=" px")
    for column, cell in zip(columns[2:], box[2:], strict=True):
        if not math.isnan(cell) and not 0 < cell <= MOST_PX:
            faults.add(f"{place}, {column}", f"{cell:g}", f"a size above 0, at most {MOST_PX:g} px")
    return box[0], box[1], box[2], box[3]


def write_plates(reads: Reads) -> str:
    """Return the file that `read_plates` reads."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow((*COLUMNS, *reads.also))
    for at in range(len(reads)):
        boxes = [*reads.plate[at].tolist(), *reads.car[at].tolist()]
        writer.writerow(
            (
                exact(float(reads.t_s[at])),
                guarded(reads.vehicle[at]),
                guarded(reads.text[at]),
                exact(float(reads.confidence[at])),
                " ".join(exact(q) for q in reads.chars[at]),
                *("" if math.isnan(v) else exact(v) for v in boxes),
                guarded(reads.truth[at]),
                *(guarded(column[at]) for column in reads.also.values()),
            )
        )
    return out.getvalue()
