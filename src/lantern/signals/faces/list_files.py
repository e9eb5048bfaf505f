"""Members of a list of people as CSV, out and in."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from pathlib import Path

from lantern.core.faults import FaultList
from lantern.formats.tables import guarded, unguarded
from lantern.formats.text import Source, name, shown

COLUMNS = ("member",)
MOST_MEMBERS = 100_000


def read_members(content: bytes | Path, *, where: str) -> list[str]:
    """Return the members in their order. Raises `Refused` with each row that is wrong."""
    faults, out = FaultList(), []
    lines: dict[str, int] = {}
    rows = Source(content, where).rows(faults)
    _, header = next(rows, (1, []))
    if tuple(header) != COLUMNS:
        faults.add(f"{where}, line 1", f"header {shown(','.join(header))}", ",".join(COLUMNS))
        faults.refuse_if_any()
    for line, cells in rows:
        place = f"{where}, line {line}"
        if len(cells) != len(COLUMNS):
            faults.add(place, f"{len(cells)} columns", "one, a member")
            continue
        member = name(unguarded(cells[0]), faults, where=f"{place}, member")
        if not member:
            faults.add(f"{place}, member", "is empty", "what the device calls the member")
        elif member in lines:
            faults.add(f"{place}, member", f"{shown(member)} stands in line {lines[member]} too", "each member once")
        lines.setdefault(member, line)
        out.append(member)
        if len(out) > MOST_MEMBERS:
            faults.add(where, f"more than {MOST_MEMBERS} members", f"at most {MOST_MEMBERS}")
        if faults.full() or len(out) > MOST_MEMBERS:
            break
    faults.refuse_if_any()
    return out


def write_members(members: Sequence[str]) -> str:
    """Return the file that `read_members` reads."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    writer.writerows([guarded(member)] for member in members)
    return out.getvalue()
