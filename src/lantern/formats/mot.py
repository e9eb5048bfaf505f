"""Tracks as text: the MOTChallenge layout in a picture, and points on a plan. Every fault has file, line and column."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Mapping

import numpy as np

from lantern.core.faults import FaultList
from lantern.core.objects.tracks import Tracks, make_tracks
from lantern.core.signals import Floats
from lantern.formats.tables import number, read_text

COLUMNS = ("frame", "id", "left", "top", "width", "height", "confidence", "class", "visibility")
LEAST_COLUMNS = 6
MOST_COLUMNS = 10  # detections come with three more that are -1
PLAN_COLUMNS = ("t_s", "id", "x_m", "y_m", "class")
HEIGHT_COLUMN = "height_m"  # may follow them, empty where unknown
ROWS_A_MINUTE = 1_000_000


def read_mot(
    data: bytes,
    *,
    where: str,
    fps: float,
    classes: Mapping[str, str] | None = None,
    frame_px: tuple[int, int] | None = None,
) -> Tracks:
    """CSV without a header, `frame,id,left,top,width,height,confidence,class,visibility`, frames from 1; the last three may lack.

    Rows may be sorted by frame or by id; the frames of one id run forward, and an id has one box a frame.
    """
    faults = FaultList()
    text = read_text(data, faults, where=where)
    faults.refuse_if_any()
    table = _quickly(text)
    if table is None:
        table = _slowly(text, faults, where)
        faults.refuse_if_any()
    _check(table, faults, where)
    minutes = max(float(table[:, 0].max()) / fps / 60, 1.0)
    if table.shape[0] > ROWS_A_MINUTE * minutes:
        faults.add(where, f"{table.shape[0]} rows in {minutes:.1f} min", f"at most {ROWS_A_MINUTE} a minute of take")
    faults.refuse_if_any()
    names = {int(k): v for k, v in (classes or {}).items()}
    labels = table[:, 7].astype(np.int64) if table.shape[1] > 7 else None
    sure = table[:, 6] if table.shape[1] > 6 else None
    t_s = np.round((table[:, 0] - 1) / fps, 9)
    return make_tracks(
        t_s,
        table[:, 1].astype(np.int64),
        table[:, 2:6],
        confidence=sure,
        labels=labels,
        names=names,
        last_s=float(t_s.max()),
        frame_px=frame_px,
        fps=fps,
    )


def _quickly(text: str) -> Floats | None:
    """The whole table at once; None where anything is wrong with it, so that the slow way can say what."""
    if not text.strip():
        return None
    try:
        table = np.loadtxt(io.StringIO(text), delimiter=",", ndmin=2)
    except ValueError:
        return None
    fits = table.size and LEAST_COLUMNS <= table.shape[1] <= MOST_COLUMNS and np.isfinite(table).all()
    return table if fits else None


def _slowly(text: str, faults: FaultList, where: str) -> Floats:
    rows: list[list[float]] = []
    width = None
    for line, row in enumerate(csv.reader(io.StringIO(text)), 1):
        if not row:
            continue
        place = f"{where}, line {line}"
        width = width or len(row)
        if not LEAST_COLUMNS <= len(row) <= MOST_COLUMNS:
            faults.add(place, f"{len(row)} columns", f"{LEAST_COLUMNS} to {MOST_COLUMNS}: {','.join(COLUMNS)}")
        elif len(row) != width:
            faults.add(place, f"{len(row)} columns", f"{width} as in line 1")
        else:
            names = (*COLUMNS, *("extra",) * 3)
            rows.append(
                [number(cell, faults, where=f"{place}, {name}") for cell, name in zip(row, names, strict=False)]
            )
        if faults.full():
            break
    if not rows:
        faults.add(where, "no row of data", ",".join(COLUMNS))
        return np.zeros((0, LEAST_COLUMNS))
    return np.array(rows) if not faults.faults else np.zeros((0, LEAST_COLUMNS))


def _check(table: Floats, faults: FaultList, where: str) -> None:
    def say(bad: np.ndarray, column: int, what: str, expected: str) -> None:
        for at in np.flatnonzero(bad)[:50].tolist():
            faults.add(f"{where}, line {at + 1}, {COLUMNS[column]}", f"{what}: {table[at, column]:g}", expected)

    frame, ids = table[:, 0], table[:, 1]
    say((frame < 1) | (frame != np.floor(frame)), 0, "no frame number", "a whole number from 1")
    say(ids != np.floor(ids), 1, "no id", "a whole number")
    say(table[:, 4] <= 0, 4, "not above 0", "a width above 0")
    say(table[:, 5] <= 0, 5, "not above 0", "a height above 0")
    order = np.argsort(ids, kind="stable")  # as they stand in the file, object by object
    same = np.diff(ids[order]) == 0
    step = np.diff(frame[order])
    for at in np.flatnonzero(same & (step < 0))[:50].tolist():
        line = int(order[at + 1])
        faults.add(
            f"{where}, line {line + 1}, frame",
            f"id {ids[line]:g} goes back to frame {frame[line]:g}",
            "frames that run forward",
        )
    for at in np.flatnonzero(same & (step == 0))[:50].tolist():
        line = int(order[at + 1])
        faults.add(
            f"{where}, line {line + 1}, id",
            f"id {ids[line]:g} has two boxes in frame {frame[line]:g}",
            "one box of an id a frame",
        )


def read_plan_tracks(data: bytes, *, where: str) -> Tracks:
    """CSV with header `t_s,id,x_m,y_m,class`: points on the plan in metres; `height_m` may follow, how tall each is."""
    faults = FaultList()
    text = read_text(data, faults, where=where)
    rows = list(csv.reader(io.StringIO(text)))
    columns = (*PLAN_COLUMNS, HEIGHT_COLUMN) if rows and HEIGHT_COLUMN in rows[0] else PLAN_COLUMNS
    if not rows or tuple(rows[0]) != columns:
        expected = f"{','.join(PLAN_COLUMNS)}, and {HEIGHT_COLUMN} if heights are known"
        faults.add(f"{where}, line 1", f"header {','.join(rows[0]) if rows else ''!r}", expected)
    if len(rows) < 2:
        faults.add(where, "no row of data", "at least one row after the header")
    faults.refuse_if_any()
    t_s, ids, xy, labels, tall = [], [], [], [], []
    last: dict[str, float] = {}
    for line, row in enumerate(rows[1:], 2):
        place = f"{where}, line {line}"
        if len(row) != len(columns):
            faults.add(place, f"{len(row)} columns", f"{len(columns)} as in the header")
            continue
        t, x, y = (number(row[i], faults, where=f"{place}, {PLAN_COLUMNS[i]}") for i in (0, 2, 3))
        if t < 0:
            faults.add(f"{place}, t_s", f"{t:g}", "0 or more seconds")
        if row[1] in last and not math.isnan(t) and t <= last[row[1]]:
            faults.add(
                f"{place}, t_s", f"{t:g} of id {row[1]} does not follow {last[row[1]]:g}", "times that run forward"
            )
        last[row[1]] = t
        t_s.append(t)
        ids.append(row[1])
        xy.append((x, y))
        labels.append(row[4])
        tall.append(_height(row[5], faults, f"{place}, {HEIGHT_COLUMN}") if len(row) > len(PLAN_COLUMNS) else math.nan)
        if faults.full():
            break
    faults.refuse_if_any()
    numbers = all(i.lstrip("-").isdigit() for i in ids)
    box = np.column_stack((np.array(xy), np.zeros((len(xy), 2))))
    known = np.array([int(i) for i in ids], dtype=np.int64) if numbers else ids
    return make_tracks(np.array(t_s), known, box, labels=labels, last_s=max(t_s), on_plan=True, height_m=np.array(tall))


def _height(text: str, faults: FaultList, where: str) -> float:
    if not text:
        return math.nan
    height_m = number(text, faults, where=where)
    if height_m <= 0:
        faults.add(where, f"{height_m:g}", "a height above 0 m, or nothing where it is not known")
    return height_m
