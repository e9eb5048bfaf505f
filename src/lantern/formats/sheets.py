"""Tables as spreadsheets (XLSX) and as CSV, out and in: a header, then a row a thing, every cell a text."""

from __future__ import annotations

import csv
import io
import tempfile
from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime
from pathlib import Path
from typing import Any

from openpyxl import Workbook, load_workbook

from lantern.core.faults import Fault, FaultList, Refused
from lantern.formats.archive import members_of
from lantern.formats.border import border
from lantern.formats.limits import MIB, Limits
from lantern.formats.tables import guarded, unguarded
from lantern.formats.text import Source, has_controls, shown

ZIP_BEGINS = b"PK"
MOST_ROWS, MOST_COLUMNS, MOST_CELL = 20_000, 60, 2_000
LIMITS = Limits(unpacked_bytes=64 * MIB, free_bytes=16 * MIB, files=500)
Row = tuple[int, dict[str, str]]  # its line, its cells by column


def read_sheet(data: bytes, columns: Sequence[str], *, where: str, needed: Sequence[str] = ()) -> list[Row]:
    """Return the rows of a CSV or of the first sheet of an XLSX, whichever it is; empty rows are left out.

    Raises `Refused` for a header with columns that are unknown, twice or lacking, and for what is no such file.
    """
    lines = list(_xlsx(data, where) if data.startswith(ZIP_BEGINS) else _csv(data, where))
    if not lines:
        raise Refused([Fault(where, "is empty", f"a header: {','.join(columns)}")])
    (first, header), faults = lines[0], FaultList()
    for name in dict.fromkeys(header):
        if name not in columns:
            faults.add(f"{where}, line {first}", f"column {shown(name)} is unknown", f"some of: {', '.join(columns)}")
        elif header.count(name) > 1:
            faults.add(f"{where}, line {first}", f"column {name} comes {header.count(name)} times", "each once")
    for name in needed:
        if name not in header:
            faults.add(f"{where}, line {first}", f"column {name} is missing", f"at least {', '.join(needed)}")
    faults.refuse_if_any()
    return [(line, dict(zip(header, cells, strict=True))) for line, cells in lines[1:]]


def _csv(data: bytes, where: str) -> Iterator[tuple[int, list[str]]]:
    faults = FaultList()
    delimiter = ";" if data.split(b"\n", 1)[0].count(b";") > data.split(b"\n", 1)[0].count(b",") else ","
    yield from _even(Source(data, where, delimiter).rows(faults), where, faults)


def _xlsx(data: bytes, where: str) -> Iterator[tuple[int, list[str]]]:
    with tempfile.NamedTemporaryFile(suffix=".xlsx") as held, border(where, "an XLSX workbook that is whole"):
        held.write(data)
        held.flush()
        members_of(Path(held.name), LIMITS)
        book = load_workbook(held.name, read_only=True, data_only=True)
        try:
            sheet = book.worksheets[0]
            rows = ((n, [_text(cell) for cell in row]) for n, row in enumerate(sheet.iter_rows(values_only=True), 1))
            yield from _even(((n, cells) for n, cells in rows if any(cells)), where, FaultList())
        finally:
            book.close()


def _text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return value.isoformat() if isinstance(value, datetime) else str(value).strip()


def _even(rows: Iterable[tuple[int, list[str]]], where: str, faults: FaultList) -> Iterator[tuple[int, list[str]]]:
    """Return all rows as long as the header, with no cell that is too long or holds controls. Raises `Refused`."""
    width = 0
    for count, (line, cells) in enumerate(rows):
        if count == 0:
            while cells and not cells[-1]:
                cells = cells[:-1]
            width = len(cells)
        if width > MOST_COLUMNS or count > MOST_ROWS:
            faults.add(where, f"more than {MOST_COLUMNS} columns or {MOST_ROWS} rows", "a smaller table")
            break
        if any(cells[width:]):
            faults.add(f"{where}, line {line}", f"{len(cells)} cells", f"{width} as in the header")
        cells = [unguarded(cell) for cell in (cells + [""] * width)[:width]]
        for number, cell in enumerate(cells):
            if len(cell) > MOST_CELL or has_controls(cell):
                faults.add(
                    f"{where}, line {line}, cell {number + 1}",
                    shown(cell),
                    f"at most {MOST_CELL} characters, none a control",
                )
        if faults.full():
            break
        if not faults.faults:
            yield line, cells
    faults.refuse_if_any()


def write_csv(columns: Sequence[str], rows: Iterable[Sequence[Any]]) -> bytes:
    """Return the table as CSV in UTF-8; nothing in it begins as a formula."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(columns)
    for row in rows:
        writer.writerow(["" if value is None else guarded(_said(value)) for value in row])
    return out.getvalue().encode()


def write_xlsx(title: str, columns: Sequence[str], rows: Iterable[Sequence[Any]]) -> bytes:
    """Return the table as a workbook of one sheet; numbers stay numbers, nothing in it is a formula."""
    book = Workbook(write_only=True)
    sheet = book.create_sheet(title[:31])
    sheet.freeze_panes = "A2"
    sheet.append(list(columns))
    for row in rows:
        sheet.append([value if isinstance(value, int | float | None) else guarded(_said(value)) for value in row])
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def _said(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return f"{value:.12g}"
    return value.isoformat(sep=" ", timespec="seconds") if isinstance(value, datetime) else str(value)
