"""Entries of a list of plates as CSV: `text,from,until,note`."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from datetime import date
from pathlib import Path
from typing import Any

from lantern.core.faults import FaultList
from lantern.formats.tables import guarded, unguarded
from lantern.formats.text import Source, has_controls, shown
from lantern.signals.plates.table import MOST_CHARACTERS

COLUMNS = ("text", "from", "until", "note")
MOST_ENTRIES = 50_000
LONGEST_NOTE = 400


def read_entries(content: bytes | Path, *, where: str) -> list[dict[str, Any]]:
    """Entries in the order of the file, as a list's document has them. Raises `Refused` with each row that is wrong."""
    faults, source = FaultList(), Source(content, where)
    rows = source.rows(faults)
    _, header = next(rows, (1, []))
    if tuple(header) != COLUMNS:
        faults.add(f"{where}, line 1", f"header {shown(','.join(header))}", ",".join(COLUMNS))
        faults.refuse_if_any()
    out: list[dict[str, Any]] = []
    for line, cells in rows:
        place = f"{where}, line {line}"
        if len(cells) != len(COLUMNS):
            faults.add(place, f"{len(cells)} columns", f"{len(COLUMNS)} as in the header")
            continue
        text, note = unguarded(cells[0]), unguarded(cells[3])
        if not text or len(text) > MOST_CHARACTERS or has_controls(text):
            faults.add(f"{place}, text", shown(text), f"a plate of at most {MOST_CHARACTERS} characters")
        if len(note) > LONGEST_NOTE or has_controls(note):
            faults.add(f"{place}, note", shown(note), f"at most {LONGEST_NOTE} characters, none a control")
        days = [_day(cells[n], faults, f"{place}, {COLUMNS[n]}") for n in (1, 2)]
        if days[0] is not None and days[1] is not None and days[1] < days[0]:
            faults.add(f"{place}, until", f"{days[1]} is before {days[0]}", "a last day after the first")
        out.append(
            {
                "text": text,
                **{
                    key: None if day is None else day.isoformat()
                    for key, day in zip(("from", "until"), days, strict=True)
                },
                "note": note or None,
            }
        )
        if len(out) > MOST_ENTRIES:
            faults.add(where, f"more than {MOST_ENTRIES} entries", f"at most {MOST_ENTRIES}")
        if faults.full() or len(out) > MOST_ENTRIES:
            break
    faults.refuse_if_any()
    return out


def _day(cell: str, faults: FaultList, where: str) -> date | None:
    if not cell:
        return None
    try:
        return date.fromisoformat(cell)
    except ValueError:
        faults.add(where, shown(cell), "a day such as 2026-03-04, or nothing")
        return None


def write_entries(entries: Sequence[dict[str, Any]]) -> str:
    """Return the file that `read_entries` reads."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for entry in entries:
        writer.writerow([guarded(str(entry.get(column) or "")) for column in COLUMNS])
    return out.getvalue()
