"""Pairs of points as a CSV file: a header of four columns, a row a pair."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from lantern.core.faults import FaultList
from lantern.core.signals import Floats
from lantern.formats.text import Source, bounded, number, shown

MOST_PAIRS, MOST_VALUE = 10_000, 1e7


def read_pairs(content: bytes | Path, columns: Sequence[str], *, where: str) -> Floats:
    """(n, 4) in the order of the file. Raises `Refused` with each row that is wrong."""
    faults, source = FaultList(), Source(content, where)
    rows = source.rows(faults)
    _, header = next(rows, (1, []))
    if list(header) != list(columns):
        faults.add(f"{where}, line 1", f"header {shown(','.join(header))}", ",".join(columns))
        faults.refuse_if_any()
    out: list[list[float]] = []
    for line, row in rows:
        place = f"{where}, line {line}"
        if len(row) != len(columns):
            faults.add(place, f"{len(row)} columns", f"{len(columns)} as in the header")
            continue
        cells = [number(cell, faults, where=f"{place}, {name}") for cell, name in zip(row, columns, strict=True)]
        out.append(
            [
                bounded(cell, -MOST_VALUE, MOST_VALUE, faults, where=f"{place}, {name}")
                for cell, name in zip(cells, columns, strict=True)
            ]
        )
        if len(out) > MOST_PAIRS:
            faults.add(where, f"more than {MOST_PAIRS} pairs", f"at most {MOST_PAIRS}")
        if faults.full() or len(out) > MOST_PAIRS:
            break
    faults.refuse_if_any()
    return np.array(out, dtype=np.float64).reshape(-1, len(columns))
