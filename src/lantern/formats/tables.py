"""CSV with a header: marks, counts by hand, series, times. Every fault has file, line and column."""

from __future__ import annotations

import csv
import io
import math
from array import array
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import cast, get_args

import numpy as np

from lantern.core.counted import CountedByHand, HandCount
from lantern.core.faults import MOST_FAULTS, FaultList
from lantern.core.scoring.marks import Label, Mark
from lantern.core.signals import Floats, Series
from lantern.core.truths import Said
from lantern.formats.limits import COLDEST_C, DEFAULT, HOTTEST_C, LONGEST_S, MOST_ID, MOST_READING, Limits
from lantern.formats.text import Source, bounded, exact, name, number, numbers_at_once, shown
from lantern.formats.units import read_units, unit_of

COUNT_COLUMNS = ("start_s", "end_s", "in", "out")
COUNTED_COLUMNS = ("count", "who", *COUNT_COLUMNS)
MARK_COLUMNS = ("start_s", "end_s", "label", "detector", "note")
LEAD_COLUMN = "lead_s"  # may follow, where some marks have an open beginning
TRUTH_COLUMNS = ("object", "at_s", "text")
AGREED_COLUMN = "agreed"  # may follow, where some were only agreed to: yes or nothing
MOST_ROWS = 200_000  # of marks, truths, or of counts by hand
MOST_TRUTH = 120  # characters
LONGEST_NOTE = 2000
FORMULA = ("=", "+", "-", "@")
GUARD = "'"


def guarded(text: str) -> str:
    """Return a text as it goes out: a spreadsheet takes what begins so for a formula, unless an apostrophe stands
    before it.
    """
    return GUARD + text if text.lstrip(GUARD).startswith(FORMULA) else text


def unguarded(text: str) -> str:
    """Return a text as it was before it went out."""
    return text[1:] if text.startswith(GUARD) and text.lstrip(GUARD).startswith(FORMULA) else text


def _seconds(cell: str, faults: FaultList, where: str) -> float:
    return bounded(number(cell, faults, where=where), 0, LONGEST_S, faults, where=where, unit=" s")


def _columns_of(source: Source, columns: tuple[str, ...], more: str) -> tuple[str, ...]:
    """Return the columns, with one more where the file has it."""
    header = next(source.rows(FaultList()), (1, []))[1]
    return (*columns, more) if header == [*columns, more] else columns


def read_marks(content: bytes | Path, *, where: str) -> list[Mark]:
    """Marks, in the order of the file."""
    faults, source = FaultList(), Source(content, where)
    marks: list[Mark] = []
    columns = _columns_of(source, MARK_COLUMNS, LEAD_COLUMN)
    for line, row in _after_header(source, columns, faults):
        place = f"{where}, line {line}"
        if len(row) != len(columns):
            faults.add(place, f"{len(row)} columns", f"{len(columns)}: {','.join(columns)}")
            continue
        start, end = (_seconds(row[i], faults, f"{place}, {MARK_COLUMNS[i]}") for i in (0, 1))
        if end <= start:
            faults.add(f"{place}, end_s", f"{end:g} does not follow start_s {start:g}", "an end after the start")
        if row[2] not in get_args(Label):
            faults.add(f"{place}, label", shown(row[2]), f"one of {', '.join(get_args(Label))}")
        detector, note = unguarded(row[3]), unguarded(row[4])
        name(detector, faults, where=f"{place}, detector")
        if len(note) > LONGEST_NOTE or "\x00" in note:
            faults.add(f"{place}, note", shown(note), f"at most {LONGEST_NOTE} characters, none of them NUL")
        lead_s = _seconds(row[5], faults, f"{place}, {LEAD_COLUMN}") if len(columns) > len(MARK_COLUMNS) else 0.0
        if lead_s and lead_s > start:
            faults.add(f"{place}, {LEAD_COLUMN}", f"{lead_s:g} s before {start:g} s", "no more than there is before it")
        marks.append(Mark(start, end, cast(Label, row[2]), detector, note, lead_s))
    faults.refuse_if_any()
    return marks


def write_marks(marks: Sequence[Mark]) -> str:
    """The file that `read_marks` reads."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    leads = any(mark.lead_s for mark in marks)
    writer.writerow((*MARK_COLUMNS, LEAD_COLUMN) if leads else MARK_COLUMNS)
    for m in marks:
        row = (f"{m.start_s:.10g}", f"{m.end_s:.10g}", m.label, guarded(m.detector), guarded(m.note))
        writer.writerow((*row, f"{m.lead_s:.10g}") if leads else row)
    return out.getvalue()


def read_truths(content: bytes | Path, *, where: str) -> list[Said]:
    """Return what things truly were, in the order of the file."""
    faults, source = FaultList(), Source(content, where)
    out: list[Said] = []
    columns = _columns_of(source, TRUTH_COLUMNS, AGREED_COLUMN)
    for line, row in _after_header(source, columns, faults):
        place = f"{where}, line {line}"
        if len(row) != len(columns):
            faults.add(place, f"{len(row)} columns", f"{len(columns)}: {','.join(columns)}")
            continue
        agreed = row[3] if len(columns) > len(TRUTH_COLUMNS) else ""
        if agreed not in ("", "yes"):
            faults.add(f"{place}, {AGREED_COLUMN}", shown(agreed), "yes, or nothing")
        named, text = unguarded(row[0]), unguarded(row[2])
        name(named, faults, where=f"{place}, object")
        if len(text) > MOST_TRUTH or "\x00" in text:
            faults.add(f"{place}, text", shown(text), f"at most {MOST_TRUTH} characters, none of them NUL")
        out.append(Said(named, _seconds(row[1], faults, f"{place}, at_s"), text, agreed == "yes"))
    faults.refuse_if_any()
    return out


def write_truths(truths: Sequence[Said]) -> str:
    """The file that `read_truths` reads."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    some = any(each.agreed for each in truths)
    writer.writerow((*TRUTH_COLUMNS, AGREED_COLUMN) if some else TRUTH_COLUMNS)
    for each in truths:
        row = (guarded(each.object), f"{each.at_s:.10g}", guarded(each.text))
        writer.writerow((*row, "yes" if each.agreed else "") if some else row)
    return out.getvalue()


def read_hand_counts(content: bytes | Path, *, where: str) -> list[HandCount] | None:
    """CSV `start_s,end_s,in,out`; None where the header is another, for then it may be marks."""
    faults, source = FaultList(), Source(content, where)
    if next(source.rows(faults), (1, []))[1] != list(COUNT_COLUMNS):
        return None
    out = []
    for line, row in _after_header(source, COUNT_COLUMNS, faults):
        place = f"{where}, line {line}"
        if len(row) != len(COUNT_COLUMNS):
            faults.add(place, f"{len(row)} columns", f"{len(COUNT_COLUMNS)} as in the header")
            continue
        out.append(_hand_count(row, faults, place))
        if not out[-1].start_s < out[-1].end_s:
            faults.add(place, f"from {out[-1].start_s:g} s to {out[-1].end_s:g} s", "an end after the start")
    if not out:
        faults.add(where, "no interval in it", "at least one row after the header")
    faults.refuse_if_any()
    return out


def _hand_count(row: Sequence[str], faults: FaultList, place: str) -> HandCount:
    start_s, end_s = (_seconds(row[i], faults, f"{place}, {COUNT_COLUMNS[i]}") for i in (0, 1))
    passages = []
    for column, cell in zip(COUNT_COLUMNS[2:], row[2:], strict=True):
        n = number(cell, faults, where=f"{place}, {column}")
        whole = 0 <= n < MOST_ID and n == math.floor(n)
        if not whole:
            faults.add(f"{place}, {column}", f"{n:g}", "a whole number from 0, below 2^53")
        passages.append(int(n) if whole else 0)
    return HandCount(start_s, end_s, *passages)


def write_hand_counts(rows: Sequence[Sequence[float]]) -> str:
    """The file that `read_hand_counts` reads."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COUNT_COLUMNS)
    writer.writerows((f"{start:.10g}", f"{end:.10g}", int(into), int(left)) for start, end, into, left in rows)
    return out.getvalue()


def _after_header(source: Source, wanted: Sequence[str], faults: FaultList) -> Iterator[tuple[int, list[str]]]:
    """Rows after the header that is wanted, no more than are held at once; ends where enough faults are told."""
    rows = source.rows(faults)
    _, header = next(rows, (1, []))
    if header != list(wanted):
        faults.add(f"{source.where}, line 1", f"header {shown(','.join(header))}", ",".join(wanted))
        faults.refuse_if_any()
    for count, row in enumerate(rows, 1):
        if count > MOST_ROWS:
            faults.add(source.where, f"more than {MOST_ROWS} rows", f"at most {MOST_ROWS}")
        if faults.full() or count > MOST_ROWS:
            return
        yield row


def read_times(content: bytes | Path, *, where: str, limits: Limits = DEFAULT) -> Floats:
    """The column `t_s`: seconds from the take's start, running forward."""
    return read_series(content, where=where, least_columns=1, limits=limits)[0]


def read_series(
    content: bytes | Path,
    *,
    where: str,
    least_columns: int = 2,
    units: Mapping[str, str] | None = None,
    limits: Limits = DEFAULT,
) -> tuple[Floats, dict[str, Floats]]:
    """`t_s` and the named columns after it; `units` by column, for a temperature has limits of its own."""
    faults, source = FaultList(), Source(content, where)
    _, cells = next(source.rows(faults), (1, []))
    header = [unguarded(cell) for cell in cells]
    if not header or header[0] != "t_s" or len(header) < least_columns:
        expected = "t_s,NAME,..." if least_columns > 1 else "t_s"
        faults.add(f"{where}, line 1", f"header {shown(','.join(header))}", expected)
    elif len(set(header)) < len(header):
        faults.add(f"{where}, line 1", "two columns of one name", "a name of its own for each column")
    for column in header:
        name(column, faults, where=f"{where}, line 1")
    faults.refuse_if_any()
    width = len(header)
    table = numbers_at_once(source, header=True, columns=(width, width), most_cells=limits.cells)
    if table is None:
        table = _slowly(source, header, faults, limits)
    check_columns(table, header, units or {}, faults, source)
    faults.refuse_if_any()
    return table[0], {column: table[i] for i, column in enumerate(header) if i}


def _slowly(source: Source, header: Sequence[str], faults: FaultList, limits: Limits) -> Floats:
    """Row by row, to say what is wrong; (columns, rows) where nothing is."""
    cells, count = array("d"), 0
    rows = source.rows(faults)
    next(rows)
    for line, row in rows:
        place = f"{source.where}, line {line}"
        if len(row) != len(header):
            faults.add(place, f"{len(row)} columns", f"{len(header)} as in the header")
            continue
        cells.extend(number(cell, faults, where=f"{place}, {column}") for cell, column in zip(row, header, strict=True))
        count += 1
        if len(cells) > limits.cells:
            what = f"{len(header)} columns of more than {count - 1} rows"
            faults.add(source.where, what, f"at most {limits.cells} values (a setting)")
        if faults.full() or len(cells) > limits.cells:
            break
    if not count:
        faults.add(source.where, "no row of data", "at least one row after the header")
    faults.refuse_if_any()
    return np.frombuffer(cells, dtype=np.float64).reshape(count, len(header)).T.copy()


def check_columns(
    table: Floats,
    header: Sequence[str],
    units: Mapping[str, str],
    faults: FaultList,
    source: Source,
    *,
    named: bool = True,
) -> None:
    """Times forward and within the limits, readings within theirs. `table` (columns, rows), times first: its numbers are in the
    units of the program after it.
    """
    known = read_units(units, faults, where=f"{source.where}: units")
    bad: list[tuple[int, int, str, str]] = []  # row, column, what, expected

    def say(where_bad: np.ndarray, column: int, expected: str) -> None:
        for row in np.flatnonzero(where_bad)[:MOST_FAULTS].tolist():
            bad.append((row, column, f"{table[column, row]:g}", expected))

    say((table[0] < 0) | (table[0] > LONGEST_S), 0, f"0 to {LONGEST_S:g} s")
    for row in np.flatnonzero(np.diff(table[0]) <= 0)[:MOST_FAULTS].tolist():
        what = f"{table[0, row + 1]:g} does not follow {table[0, row]:g}"
        bad.append((row + 1, 0, what, "times that run forward"))
    for column in range(1, table.shape[0]):
        unit = known.get(header[column])
        x = table[column] if unit is None else unit.to_inside(table[column])
        celsius = unit is not None and unit.inside == "°C"
        low, high = (COLDEST_C, HOTTEST_C) if celsius else (-MOST_READING, MOST_READING)
        say((x < low) | (x > high), column, f"{low:g} to {high:g}{' °C' if celsius else ''}")
        table[column] = x
        if len(bad) >= MOST_FAULTS:
            break
    lines = source.lines_of({row for row, *_ in bad}, header=named)
    for row, column, what, expected in sorted(bad, key=lambda each: each[:2]):
        faults.add(f"{source.where}, line {lines[row]}, {header[column]}", what, expected)


def series_of(t_s: Floats, columns: dict[str, Floats], units: Mapping[str, str]) -> dict[str, Series]:
    """Columns as they were read, each with the unit that its numbers are in now."""
    inside = {column: unit.inside for column, text in units.items() if (unit := unit_of(text)) is not None}
    return {column: Series(t_s, x, inside.get(column, ""), column) for column, x in columns.items()}


def write_series(columns: Mapping[str, Series]) -> str:
    """CSV with header `t_s,NAME,...`; a column that has no sample at a time (the shutter was closed) leaves it empty."""
    times = np.unique(np.concatenate([series.t_s for series in columns.values()]))
    cells = [[exact(t) for t in times.tolist()]]
    for series in columns.values():
        at = dict(zip(series.t_s.tolist(), series.x.tolist(), strict=True))
        cells.append([exact(at[t]) if t in at else "" for t in times.tolist()])
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["t_s", *(guarded(column) for column in columns)])
    writer.writerows(zip(*cells, strict=True))
    return out.getvalue()


def write_times(t_s: Floats, path: Path) -> None:
    """The file that `read_times` reads."""
    path.write_text("t_s\n" + "".join(f"{exact(t)}\n" for t in t_s.tolist()))


def read_counted(content: bytes | Path, *, where: str) -> list[CountedByHand]:
    """Return all counts by hand of a take. Rows of one number are one count; one that lasts no time is a passage that a
    key was pressed for.
    """
    faults, source = FaultList(), Source(content, where)
    passages: dict[str, list[tuple[float, str]]] = {}
    intervals: dict[str, list[HandCount]] = {}
    who: dict[str, str] = {}
    for line, row in _after_header(source, COUNTED_COLUMNS, faults):
        place = f"{where}, line {line}"
        if len(row) != len(COUNTED_COLUMNS):
            faults.add(place, f"{len(row)} columns", f"{len(COUNTED_COLUMNS)}: {','.join(COUNTED_COLUMNS)}")
            continue
        count, named = row[0], unguarded(row[1])
        name(named, faults, where=f"{place}, who")
        if who.setdefault(count, named) != named:
            faults.add(f"{place}, who", shown(named), f"{shown(who[count])}, as in the row before of count {count}")
        held = _hand_count(row[2:], faults, place)
        if held.end_s > held.start_s:
            intervals.setdefault(count, []).append(held)
        elif held.end_s == held.start_s and held.into + held.out <= 1:
            way = [(held.start_s, "in")] * held.into + [(held.start_s, "out")] * held.out
            passages.setdefault(count, []).extend(way)
        else:
            faults.add(place, f"from {held.start_s:g} s to {held.end_s:g} s", "an end after the start, or one passage")
    for count in passages.keys() & intervals.keys():
        faults.add(where, f"count {count} has passages and intervals", "one or the other")
    faults.refuse_if_any()
    return [CountedByHand(named, tuple(passages.get(n, ())), tuple(intervals.get(n, ()))) for n, named in who.items()]


def write_counted(counts: Sequence[CountedByHand]) -> str:
    """The file that `read_counted` reads; a tally of nobody is a row without a passage."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COUNTED_COLUMNS)
    for number_, each in enumerate(counts, start=1):
        rows = [(c.start_s, c.end_s, c.into, c.out) for c in each.intervals]
        rows += [(t, t, int(way == "in"), int(way == "out")) for t, way in each.passages]
        for start_s, end_s, into, left in rows or [(0.0, 0.0, 0, 0)]:
            writer.writerow((number_, guarded(each.who), f"{start_s:.10g}", f"{end_s:.10g}", into, left))
    return out.getvalue()
