"""Looks of a face device as text: CSV with a header, a row a candidate. Every fault has file, line and column."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator, Sequence
from pathlib import Path

import numpy as np

from lantern.core.faces.looks import UNKNOWN, Column, Looks
from lantern.core.faults import FaultList
from lantern.core.signals import Floats
from lantern.core.watching import Indices
from lantern.formats.limits import DEFAULT, LONGEST_S, MOST_READING, Limits
from lantern.formats.tables import guarded, unguarded
from lantern.formats.text import Source, bounded, exact, name, number, shown

COLUMNS = ("t_s", "probe", "candidate", "score", "mated")
SAID = {"1": 1, "0": 0, "": UNKNOWN}
MOST_GROUPS = 20
Scale = tuple[float, float]


def read_faces(content: bytes | Path, *, where: str, scale: Scale | None = None, limits: Limits = DEFAULT) -> Looks:
    """Looks in any order; all rows of one probe are one. `scale`: the least and the greatest score there may be.

    Raises `Refused`.
    """
    faults, source = FaultList(), Source(content, where)
    rows = source.rows(faults)
    _, header = next(rows, (1, []))
    further = tuple(header[len(COLUMNS) :])
    if tuple(header[: len(COLUMNS)]) != COLUMNS or "" in further or len(set(header)) < len(header):
        expected = f"{','.join(COLUMNS)}, then columns of your own, each with a name of its own"
        faults.add(f"{where}, line 1", f"header {shown(','.join(header))}", expected)
    if len(further) > MOST_GROUPS:
        faults.add(f"{where}, line 1", f"{len(further)} further columns", f"at most {MOST_GROUPS}")
    faults.refuse_if_any()
    table = _Table(len(header), scale, faults, where)
    for line, cells in rows:
        table.take(cells, line)
        if len(table.score) > limits.rows:
            faults.add(where, f"more than {limits.rows} rows", f"at most {limits.rows} (a setting)")
        if faults.full() or len(table.score) > limits.rows:
            break
    if not table.score and not faults.faults:
        faults.add(where, "no row of data", "at least one row after the header")
    faults.refuse_if_any()
    return table.looks(further)


class _Table:
    """Rows as they come; what is wrong with one is noted."""

    def __init__(self, width: int, scale: Scale | None, faults: FaultList, where: str) -> None:
        self._width, self._scale, self._faults, self._where = width, scale, faults, where
        self._places: dict[str, int] = {}  # of the probes, in the order of their first rows
        self.t_s: list[float] = []
        self.probe: list[int] = []
        self.candidate: list[str] = []
        self.score: list[float] = []
        self.mated: list[int] = []
        self.further: list[list[str]] = []

    def take(self, cells: Sequence[str], line: int) -> None:
        place, faults = f"{self._where}, line {line}", self._faults
        if len(cells) != self._width:
            faults.add(place, f"{len(cells)} columns", f"{self._width} as in the header")
            return
        t = self._number(cells[0], 0, LONGEST_S, f"{place}, t_s", " s")
        low, high = (-MOST_READING, MOST_READING) if self._scale is None else self._scale
        self.score.append(self._number(cells[3], low, high, f"{place}, score"))
        probe, candidate = (self._name(cells[at], f"{place}, {COLUMNS[at]}") for at in (1, 2))
        if cells[4] not in SAID:
            faults.add(f"{place}, mated", shown(cells[4]), "1 (of one person), 0 (of two), or empty")
        self.t_s.append(t)
        self.probe.append(self._places.setdefault(probe, len(self._places)))
        self.candidate.append(candidate)
        self.mated.append(SAID.get(cells[4], UNKNOWN))
        self.further.append([unguarded(cell) for cell in cells[len(COLUMNS) :]])

    def _number(self, cell: str, low: float, high: float, where: str, unit: str = "") -> float:
        return bounded(number(cell, self._faults, where=where), low, high, self._faults, where=where, unit=unit)

    def _name(self, cell: str, where: str) -> str:
        found = name(unguarded(cell), self._faults, where=where)
        if not found:
            self._faults.add(where, "is empty", "a name")
        return found

    def looks(self, further: Sequence[str]) -> Looks:
        """Return what the rows come to: looks in order of time, those of one time as in the file."""
        probe, t_s, names = np.array(self.probe), np.array(self.t_s), tuple(self._places)
        _, starts = np.unique(probe, return_index=True)
        begins = t_s[starts]
        order = np.argsort(begins, kind="stable")  # of the looks
        rank = np.empty_like(order)
        rank[order] = np.arange(order.size)
        rows = np.argsort(rank[probe], kind="stable")
        return Looks(
            t_s=begins[order],
            probe=tuple(names[at] for at in order.tolist()),
            first=np.concatenate(([0], np.cumsum(np.bincount(probe)[order]))),
            score=np.array(self.score)[rows],
            candidate=Column.of(self.candidate).rows(rows),
            mated=np.array(self.mated, dtype=np.int8)[rows],
            groups={
                column: Column.of([cells[at] for cells in self.further]).rows(rows) for at, column in enumerate(further)
            },
            scale=self._scale,
            told=tuple(self._told(probe, t_s, begins, names)),
        )

    @staticmethod
    def _told(probe: Indices, t_s: Floats, begins: Floats, names: Sequence[str]) -> Iterator[str]:
        """Say which probes come twice: rows that stand apart, or have times apart."""
        again = np.zeros(len(names), dtype=np.bool_)
        turns = np.flatnonzero(np.diff(probe, prepend=-1))
        again[np.flatnonzero(np.bincount(probe[turns], minlength=len(names)) > 1)] = True
        again[probe[t_s != begins[probe]]] = True
        twice = np.flatnonzero(again).tolist()
        if twice:
            which = names[twice[0]] + (f" and {len(twice) - 1} more" if len(twice) > 1 else "")
            yield f"Probe {which} came more than once: all its rows are taken for one look, at the time of the first"


def write_faces(looks: Looks) -> str:
    """Return the file that `read_faces` reads."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow((*COLUMNS, *looks.groups))
    words = {UNKNOWN: ""}
    for row, look in enumerate(looks.look.tolist()):
        mated = int(looks.mated[row])
        writer.writerow(
            (
                exact(float(looks.t_s[look])),
                guarded(looks.probe[look]),
                guarded(looks.candidate.at(row)),
                exact(float(looks.score[row])),
                words.get(mated, str(mated)),
                *(guarded(column.at(row)) for column in looks.groups.values()),
            )
        )
    return out.getvalue()
