"""Returns of a radar as a CSV file, `t_s,target,range_m,azimuth_deg,radial_speed_mps,rcs_dbsm`, a row a return."""

from __future__ import annotations

import csv
import io
from array import array
from collections.abc import Iterator, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from lantern.core.faults import MOST_FAULTS, FaultList
from lantern.core.radar.returns import NOBODY, Returns
from lantern.core.signals import Floats
from lantern.core.watching import Indices
from lantern.formats.limits import DEFAULT, LONGEST_S, MOST_ID, Limits
from lantern.formats.names import Names
from lantern.formats.tables import guarded, unguarded
from lantern.formats.text import Source, exact, name, number, numbers_at_once, shown

COLUMNS = ("t_s", "target", "range_m", "azimuth_deg", "radial_speed_mps", "rcs_dbsm")
OF_NOISE = ("snr_db", "noise_db")  # that may follow; empty where they are not known
HEADERS = (COLUMNS, (*COLUMNS, "snr_db"), (*COLUMNS, "noise_db"), (*COLUMNS, *OF_NOISE))
MOST_DB = 300.0
MOST_RANGE_M, MOST_SPEED_MPS, MOST_RCS_DBSM, MOST_AZIMUTH_DEG = 20_000.0, 10_000.0, 200.0, 36_000.0
LIKELY_MPS = 100.0  # whatever moves faster is given in another unit; common practice, no source
TURN_DEG = 360.0


def read_returns(
    content: bytes | Path,
    *,
    where: str,
    limits: Limits = DEFAULT,
    detections: bool | None = False,
    noise_cells: int | None = None,
) -> Returns:
    """Return what a file holds. `detections`: whose each return is nobody knows, its target is empty; None: as the file has it. Raises
    `Refused` with each row that is wrong.
    """
    faults, source = FaultList(), Source(content, where)
    _, header = next(source.rows(faults), (1, []))
    if tuple(header) not in HEADERS:
        faults.add(
            f"{where}, line 1", f"header {shown(','.join(header))}", f"{','.join(COLUMNS)}, and maybe snr_db, noise_db"
        )
        faults.refuse_if_any()
    width = len(header)
    table = (
        numbers_at_once(source, header=True, columns=(width, width), most_cells=limits.returns * width)
        if width == len(COLUMNS) and not detections
        else None
    )
    if table is not None and _is_whole(table[1]):
        ids, first = np.unique(table[1], return_index=True)
        order = np.argsort(first)  # as they come, as with names
        names: tuple[int | str, ...] = tuple(int(each) for each in ids[order].tolist())
        target: Indices = np.argsort(order)[np.searchsorted(ids, table[1])]
    else:
        table, names, target = _slowly(source, faults, limits, header, detections=detections)
    _check(table, target, names, faults, source, bare=names == NOBODY)
    faults.refuse_if_any()
    snr_db, noise_db = (
        np.ascontiguousarray(table[header.index(each)]) if each in header else None for each in OF_NOISE
    )
    arranged = _arranged(table, target, names)
    return replace(arranged, noise_cells=noise_cells, snr_db=snr_db, noise_db=noise_db)


def _is_whole(column: Floats) -> bool:
    return bool(((column == np.floor(column)) & (np.abs(column) < MOST_ID)).all())


def _slowly(
    source: Source, faults: FaultList, limits: Limits, header: Sequence[str], *, detections: bool | None
) -> tuple[Floats, tuple[int | str, ...], Indices]:
    """Row by row: targets have names that are no numbers, or none, or something is wrong."""
    cells, known, count = array("d"), Names(), 0
    unnamed: list[str] = []  # where a target is empty
    rows = source.rows(faults)
    next(rows, None)
    for line, row in rows:
        place = f"{source.where}, line {line}"
        if len(row) != len(header):
            faults.add(place, f"{len(row)} columns", f"{len(header)} as in the header")
        else:
            if not row[1]:
                unnamed.append(f"{place}, target")
            called = name(unguarded(row[1]), faults, where=f"{place}, target") if row[1] else ""
            if called and detections:
                faults.add(
                    f"{place}, target", f"is {shown(called)}", "nothing: the sidecar says that these are detections"
                )
            numbers = [number(row[at], faults, where=f"{place}, {COLUMNS[at]}") for at in (0, 2, 3, 4, 5)]
            noise = [
                number(row[at], faults, where=f"{place}, {header[at]}") if row[at] else float("nan")
                for at in range(len(COLUMNS), len(header))
            ]
            cells.extend((numbers[0], float(known.index(called)), *numbers[1:], *noise))
            count += 1
        if count > limits.returns:
            faults.add(source.where, f"more than {limits.returns} rows", f"at most {limits.returns} (a setting)")
        if faults.full() or count > limits.returns:
            break
    if not count:
        faults.add(source.where, "no row of data", "at least one row after the header")
    bare = len(unnamed) == count and detections is not False
    for where in () if bare else unnamed[:MOST_FAULTS]:
        expected = 'what the radar calls the target; of bare detections, with "detections": true in the sidecar, none has a name'
        faults.add(where, "is empty", expected)
    ids: tuple[int | str, ...] = NOBODY if bare else tuple(known.known(faults, where=f"{source.where}, target"))
    faults.refuse_if_any()
    table = np.frombuffer(cells, dtype=np.float64).reshape(count, len(header)).T.copy()
    return table, ids, table[1].astype(np.intp)


def _check(
    table: Floats, target: Indices, ids: Sequence[int | str], faults: FaultList, source: Source, *, bare: bool
) -> None:
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
    for column in range(len(COLUMNS), len(table)):
        wrong = np.abs(table[column]) > MOST_DB
        for row in np.flatnonzero(wrong)[:MOST_FAULTS].tolist():
            bad.append(
                (row, f"column {column + 1}", f"no level: {table[column, row]:g}", f"at most {MOST_DB:g} dB either way")
            )
    order = np.argsort(target, kind="stable")
    same = (np.diff(target[order]) == 0) & (np.diff(table[0][order]) == 0) & (not bare)
    for at in np.flatnonzero(same)[:MOST_FAULTS].tolist():
        row = int(order[at + 1])
        what = f"{ids[int(target[row])]} comes twice at {table[0, row]:g} s"
        bad.append((row, "target", what, "one return of a target at a time"))
    if bad:
        lines = source.lines_of({row for row, *_ in bad}, header=True)
        for row, where, what, expected in sorted(bad, key=lambda each: each[0]):
            faults.add(f"{source.where}, line {lines[row]}, {where}", what, expected)


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
    noise = {each: held for each in OF_NOISE if (held := getattr(returns, each)) is not None}
    writer.writerow((*COLUMNS, *noise))
    columns = (returns.range_m, returns.azimuth_deg, returns.speed_mps, returns.rcs_dbsm)
    for row, t in enumerate(returns.t_s.tolist()):
        named = guarded(str(returns.ids[int(returns.target[row])]))
        levels = (exact(float(held[row])) if np.isfinite(held[row]) else "" for held in noise.values())
        writer.writerow((exact(t), named, *(exact(float(column[row])) for column in columns), *levels))
    return out.getvalue()
