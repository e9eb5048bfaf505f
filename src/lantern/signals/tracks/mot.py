"""Tracks as text: the MOTChallenge layout in a picture, and points on a plan. Every fault has file, line and column."""

from __future__ import annotations

import math
from array import array
from collections.abc import Mapping
from pathlib import Path

import numpy as np

from lantern.core.faults import MOST_FAULTS, FaultList
from lantern.core.signals import Floats
from lantern.core.tracks import Tracks, arrange, make_tracks
from lantern.formats.limits import DEFAULT, LONGEST_S, MOST_ID, MOST_M, MOST_PX, TALLEST_M, Limits
from lantern.formats.names import Names
from lantern.formats.text import Source, bounded, name, number, numbers_at_once, shown

COLUMNS = ("frame", "id", "left", "top", "width", "height", "confidence", "class", "visibility")
LEAST_COLUMNS = 6
MOST_COLUMNS = 10  # the layout of 2015: the last three are a place in the world, or -1, and there is no class
PLAN_COLUMNS = ("t_s", "id", "x_m", "y_m", "class")
HEIGHT_COLUMN = "height_m"  # may follow them, empty where unknown
ROWS_A_MINUTE = 1_000_000
UNKNOWN_CONFIDENCE = -1.0
MOST_CONFIDENCE = 100.0


def read_mot(
    content: bytes | Path,
    *,
    where: str,
    fps: float,
    classes: Mapping[str, str] | None = None,
    frame_px: tuple[int, int] | None = None,
    limits: Limits = DEFAULT,
) -> Tracks:
    """CSV without a header, `frame,id,left,top,width,height,confidence,class,visibility`, frames from 1; the last three may lack.

    Ten columns are the layout of 2015, whose last three are a place in the world (or -1): no class is read from them.
    Rows may be sorted by frame or by id; the frames of one id run forward, and an id has one box a frame.
    """
    faults, source = FaultList(), Source(content, where)
    most_cells = limits.rows * MOST_COLUMNS
    table = numbers_at_once(source, header=False, columns=(LEAST_COLUMNS, MOST_COLUMNS), most_cells=most_cells)
    if table is None:
        table = _slowly(source, faults, limits)
    faults.refuse_if_any()
    if table.shape[1] > limits.rows:
        faults.add(where, f"{table.shape[1]} rows", f"at most {limits.rows} (a setting)")
        faults.refuse_if_any()
    _check(table, faults, source)
    faults.refuse_if_any()
    last_s = (float(table[0].max()) - 1) / fps
    bounded(last_s, 0, LONGEST_S, faults, where=f"{where}, the last frame", unit=" s")
    minutes = max(float(table[0].max()) / fps / 60, 1.0)
    if table.shape[1] > ROWS_A_MINUTE * minutes:
        faults.add(where, f"{table.shape[1]} rows in {minutes:.1f} min", f"at most {ROWS_A_MINUTE} a minute of take")
    faults.refuse_if_any()
    t_s = np.round((table[0] - 1) / fps, 9)
    return make_tracks(
        t_s,
        table[1].astype(np.int64),
        np.ascontiguousarray(table[2:6].T),
        confidence=table[6] if table.shape[0] > 6 else None,
        labels=table[7].astype(np.int64) if _has_class(table) else None,
        names={int(k): v for k, v in (classes or {}).items()},
        last_s=float(t_s.max()),
        frame_px=frame_px,
        fps=fps,
    )


def _has_class(table: Floats) -> bool:
    return bool(7 < table.shape[0] < MOST_COLUMNS)


def _slowly(source: Source, faults: FaultList, limits: Limits) -> Floats:
    """Row by row, to say what is wrong; (columns, rows) where nothing is."""
    cells, width, rows = array("d"), 0, 0
    for line, row in source.rows(faults):
        place = f"{source.where}, line {line}"
        width = width or len(row)
        if not LEAST_COLUMNS <= len(row) <= MOST_COLUMNS:
            faults.add(place, f"{len(row)} columns", f"{LEAST_COLUMNS} to {MOST_COLUMNS}: {','.join(COLUMNS)}")
        elif len(row) != width:
            faults.add(place, f"{len(row)} columns", f"{width} as in line 1")
        else:
            names = (*COLUMNS, *("extra",) * 3)
            cells.extend(number(cell, faults, where=f"{place}, {n}") for cell, n in zip(row, names, strict=False))
            rows += 1
        if rows > limits.rows:
            faults.add(source.where, f"more than {limits.rows} rows", f"at most {limits.rows} (a setting)")
        if faults.full() or rows > limits.rows:
            break
    if not rows:
        faults.add(source.where, "no row of data", ",".join(COLUMNS))
    faults.refuse_if_any()
    return np.frombuffer(cells, dtype=np.float64).reshape(rows, width).T


def _check(table: Floats, faults: FaultList, source: Source) -> None:
    """Every value within the limits, the frames of each id forward."""
    bad: list[tuple[int, str, str, str]] = []  # row, column, what, expected

    def say(where_bad: np.ndarray, column: int, what: str, expected: str) -> None:
        for row in np.flatnonzero(where_bad)[:MOST_FAULTS].tolist():
            bad.append((row, COLUMNS[column], f"{what}: {table[column, row]:g}", expected))

    frame, ids = table[0], table[1]
    say((frame < 1) | (frame > MOST_ID) | (frame != np.floor(frame)), 0, "no frame number", "a whole number from 1")
    say((np.abs(ids) >= MOST_ID) | (ids != np.floor(ids)), 1, "no id", "a whole number below 2^53")
    for column in (2, 3):
        say(np.abs(table[column]) > MOST_PX, column, "too far out", f"at most {MOST_PX:g} px either way")
    for column in (4, 5):
        size = ("width", "height")[column - 4]
        say(table[column] <= 0, column, "not above 0", f"a {size} above 0")
        far = table[column] > MOST_PX - table[column - 2]
        say(far, column, "reaches too far out", f"an edge within {MOST_PX:g} px")
    if table.shape[0] > 6:
        sure = table[6]
        wrong = (sure != UNKNOWN_CONFIDENCE) & ((sure < 0) | (sure > MOST_CONFIDENCE))
        say(wrong, 6, "no confidence", f"0 to {MOST_CONFIDENCE:g}, or {UNKNOWN_CONFIDENCE:g} where it is unknown")
    if _has_class(table):
        say(
            (np.abs(table[7]) >= MOST_ID) | (table[7] != np.floor(table[7])), 7, "no class", "a class number below 2^53"
        )
    order = np.argsort(ids, kind="stable")  # as they stand in the file, object by object
    same, step = np.diff(ids[order]) == 0, np.diff(frame[order])
    for at in np.flatnonzero(same & (step < 0))[:MOST_FAULTS].tolist():
        row = int(order[at + 1])
        bad.append((row, "frame", f"id {ids[row]:g} goes back to frame {frame[row]:g}", "frames that run forward"))
    for at in np.flatnonzero(same & (step == 0))[:MOST_FAULTS].tolist():
        row = int(order[at + 1])
        bad.append((row, "id", f"id {ids[row]:g} has two boxes in frame {frame[row]:g}", "one box of an id a frame"))
    lines = source.lines_of({row for row, *_ in bad}, header=False)
    for row, name_of_column, what, expected in sorted(bad, key=lambda each: each[0]):
        faults.add(f"{source.where}, line {lines[row]}, {name_of_column}", what, expected)


def read_plan_tracks(content: bytes | Path, *, where: str, limits: Limits = DEFAULT) -> Tracks:
    """CSV with header `t_s,id,x_m,y_m,class`: points on the plan in metres; `height_m` may follow, how tall each is."""
    faults, source = FaultList(), Source(content, where)
    rows = source.rows(faults)
    _, header = next(rows, (1, []))
    columns = (*PLAN_COLUMNS, HEIGHT_COLUMN) if HEIGHT_COLUMN in header else PLAN_COLUMNS
    if tuple(header) != columns:
        expected = f"{','.join(PLAN_COLUMNS)}, and {HEIGHT_COLUMN} if heights are known"
        faults.add(f"{where}, line 1", f"header {shown(','.join(header))}", expected)
        faults.refuse_if_any()
    table, ids, words = array("d"), Names(), Names()
    last: dict[int, float] = {}
    count = 0
    for line, row in rows:
        place = f"{where}, line {line}"
        if len(row) != len(columns):
            faults.add(place, f"{len(row)} columns", f"{len(columns)} as in the header")
            continue
        count += 1
        t = bounded(
            number(row[0], faults, where=f"{place}, t_s"), 0, LONGEST_S, faults, where=f"{place}, t_s", unit=" s"
        )
        x, y = (_metres(row[i], faults, f"{place}, {PLAN_COLUMNS[i]}") for i in (2, 3))
        which = ids.index(name(row[1], faults, where=f"{place}, id"))
        if which in last and t <= last[which]:
            what = f"{t:g} of id {row[1]} does not follow {last[which]:g}"
            faults.add(f"{place}, t_s", what, "times that run forward")
        last[which] = t
        tall = _height(row[5], faults, f"{place}, {HEIGHT_COLUMN}") if len(row) > len(PLAN_COLUMNS) else math.nan
        table.extend((t, x, y, tall, which, words.index(name(row[4], faults, where=f"{place}, class"))))
        if count > limits.rows:
            faults.add(where, f"more than {limits.rows} rows", f"at most {limits.rows} (a setting)")
        if faults.full() or count > limits.rows:
            break
    if not count:
        faults.add(where, "no row of data", "at least one row after the header")
    known = ids.known(faults, where=f"{where}, id")
    faults.refuse_if_any()
    read = np.frombuffer(table, dtype=np.float64).reshape(-1, 6)
    held = {
        "t_s": read[:, 0],
        "object": read[:, 4].astype(np.intp),
        "box": np.column_stack((read[:, 1:3], np.zeros((count, 2)))),
        "label": read[:, 5].astype(np.intp),
        "confidence": np.ones(count),
        "height_m": read[:, 3],
    }
    return arrange(held, known, words.all, last_s=float(read[:, 0].max()), on_plan=True)


def _metres(cell: str, faults: FaultList, where: str) -> float:
    return bounded(number(cell, faults, where=where), -MOST_M, MOST_M, faults, where=where, unit=" m")


def _height(cell: str, faults: FaultList, where: str) -> float:
    if not cell:
        return math.nan
    height_m = number(cell, faults, where=where)
    if height_m <= 0 or height_m > TALLEST_M:
        faults.add(where, f"{height_m:g}", f"above 0, at most {TALLEST_M:g} m, or nothing where it is not known")
    return height_m
