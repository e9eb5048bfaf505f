"""Returns of a radar as a CSV file, `t_s,target,range_m,azimuth_deg,radial_speed_mps,rcs_dbsm`, a row a return."""

from __future__ import annotations

import csv
import io
from array import array
from collections.abc import Iterator, Sequence
from pathlib import Path

import numpy as np

from lantern.core.faults import MOST_FAULTS, FaultList
from lantern.core.radar.returns import Returns
from lantern.core.signals import Floats
from lantern.core.watching import Indices
from lantern.formats.limits import DEFAULT, LONGEST_S, MOST_ID, Limits
from lantern.formats.names import Names
from lantern.formats.tables import guarded, unguarded
from lantern.formats.text import Source, exact, name, number, numbers_at_once, shown

COLUMNS = ("t_s", "target", "range_m", "azimuth_deg", "radial_speed_mps", "rcs_dbsm")
MOST_RANGE_M, MOST_SPEED_MPS, MOST_RCS_DBSM, MOST_AZIMUTH_DEG = 20_000.0, 10_000.0, 200.0, 36_000.0
LIKELY_MPS = 100.0  # whatever moves faster is given in another unit; common practice, no source
TURN_DEG = 360.0


def read_returns(content: bytes | Path, *, where: str, limits: Limits = DEFAULT) -> Returns:
    """Return what a file holds. Raises `Refused` with each row that is wrong."""
    faults, source = FaultList(), Source(content, where)
    _, header = next(source.rows(faults), (1, []))
    if tuple(header) != COLUMNS:
        faults.add(f"{where}, line 1", f"header {shown(','.join(header))}", ",".join(COLUMNS))
        faults.refuse_if_any()
    width = len(COLUMNS)
    table = numbers_at_once(source, header=True, columns=(width, width), most_cells=limits.rows * width)
    if table is not None and _is_whole(table[1]):
        ids, first = np.unique(table[1], return_index=True)
        order = np.argsort(first)  # as they come, as with names
        names: tuple[int | str, ...] = tuple(int(each) for each in ids[order].tolist())
        target: Indices = np.argsort(order)[np.searchsorted(ids, table[1])]
    else:
        table, names, target = _slowly(source, faults, limits)
    _check(table, target, names, faults, source)
    faults.refuse_if_any()
    return _arranged(table, target, names)


def _is_whole(column: Floats) -> bool:
    return bool(((column == np.floor(column)) & (np.abs(column) < MOST_ID)).all())


def _slowly(source: Source, faults: FaultList, limits: Limits) -> tuple[Floats, tuple[int | str, ...], Indices]:
    """Row by row: targets have names that are no numbers, or something is wrong."""
    cells, known, count = array("d"), Names(), 0
    rows = source.rows(faults)
    next(rows, None)
    for line, row in rows:
        place = f"{source.where}, line {line}"
        if len(row) != len(COLUMNS):
            faults.add(place, f"{len(row)} columns", f"{len(COLUMNS)} as in the header")
        else:
            called = name(unguarded(row[1]), faults, where=f"{place}, target")
            if not called:
                faults.add(f"{place}, target", "is empty", "what the radar calls the target")
            numbers = [number(row[at], faults, where=f"{place}, {COLUMNS[at]}") for at in (0, 2, 3, 4, 5)]
            cells.extend((numbers[0], float(known.index(called)), *numbers[1:]))
            count += 1
        if count > limits.rows:
            faults.add(source.where, f"more than {limits.rows} rows", f"at most {limits.rows} (a setting)")
        if faults.full() or count > limits.rows:
            break
    if not count:
        faults.add(source.where, "no row of data", "at least one row after the header")
    ids: tuple[int | str, ...] = tuple(known.known(faults, where=f"{source.where}, target"))
    faults.refuse_if_any()
    table = np.frombuffer(cells, dtype=np.float64).reshape(count, len(COLUMNS)).T.copy()
    return table, ids, table[1].astype(np.intp)


def _check(table: Floats, target: Indices, ids: Sequence[int | str], faults: FaultList, source: Source) -> None:
    """Every value within the limits, times forward, a target once at a time."""
    bad: list[tuple[int, str, str, str]] = []  # row, column, what, expected

    def say(which: np.ndarray, column: int, what: str, expected: str) -> None:
        for row in np.flatnonzero(which)[:MOST_FAULTS].tolist():
            bad.append((row, COLUMNS[column], f"{what}: {table[column, row]:g}", expected))

    say((table[0] < 0) | (table[0] > LONGEST_S), 0, "no time of a take", f"0 to {LONGEST_S:g} s")
    say(np.append(False, np.diff(table[0]) < 0), 0, "goes back", "times that do not run backward")
    say((table[2] < 0) | (table[2] > MOST_RANGE_M), 2, "no range", f"0 to {MOST_RANGE_M:g} m")
    say(np.abs(table[3]) > MOST_AZIMUTH_DEG, 3, "no azimuth", f"at most {MOST_AZIMUTH_DEG:g}° either way")
    say(np.abs(table[4]) > MOST_SPEED_MPS, 4, "no speed", f"at most {MOST_SPEED_MPS:g} m/s either way")
    say(np.abs(table[5]) > MOST_RCS_DBSM, 5, "no size", f"at most {MOST_RCS_DBSM:g} dBsm either way")
    order = np.argsort(target, kind="stable")
    same = (np.diff(target[order]) == 0) & (np.diff(table[0][order]) == 0)
    for at in np.flatnonzero(same)[:MOST_FAULTS].tolist():
        row = int(order[at + 1])
        what = f"{ids[int(target[row])]} comes twice at {table[0, row]:g} s"
        bad.append((row, "target", what, "one return of a target at a time"))
    if bad:
        lines = source.lines_of({row for row, *_ in bad}, header=True)
        for row, column, what, expected in sorted(bad, key=lambda each: each[0]):
            faults.add(f"{source.where}, line {lines[row]}, {column}", what, expected)


def _arranged(table: Floats, target: Indices, ids: tuple[int | str, ...]) -> Returns:
    return Returns(
        t_s=np.ascontiguousarray(table[0]),
        target=np.asarray(target, dtype=np.intp),
        range_m=np.ascontiguousarray(table[2]),
        azimuth_deg=np.ascontiguousarray(table[3]),
        speed_mps=np.ascontiguousarray(table[4]),
        rcs_dbsm=np.ascontiguousarray(table[5]),
        ids=ids,
        told=tuple(_told(table)),
    )


def _told(table: Floats) -> Iterator[str]:
    beyond = int((np.abs(table[3]) > TURN_DEG).sum())
    if beyond:
        yield f"{beyond} azimuths lie beyond a full turn, and are counted modulo 360°"
    fastest = float(np.abs(table[4]).max(initial=0.0))
    if fastest > LIKELY_MPS:
        yield f"Something moves at {fastest:g} m/s: are speeds in m/s?"


def write_returns(returns: Returns) -> str:
    """Return the file that `read_returns` reads."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    columns = (returns.range_m, returns.azimuth_deg, returns.speed_mps, returns.rcs_dbsm)
    for row, t in enumerate(returns.t_s.tolist()):
        named = guarded(str(returns.ids[int(returns.target[row])]))
        writer.writerow((exact(t), named, *(exact(float(column[row])) for column in columns)))
    return out.getvalue()
