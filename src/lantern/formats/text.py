"""Tables as text, line by line: comma-separated values in UTF-8, in memory that does not grow with the file."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO

import numpy as np

from lantern.core.faults import FaultList
from lantern.core.signals import Floats
from lantern.formats.limits import MOST_COLUMNS, MOST_LINE_BYTES, MOST_LINES_A_ROW, MOST_NAME
from lantern.formats.progress import beat

CHUNK_LINES = 50_000
BEAT_LINES = 5_000
COUNTED_BYTES = 1 << 20


class Source:
    """Bytes from a file or from memory, read from their beginning as often as wanted."""

    def __init__(self, content: bytes | Path, where: str, delimiter: str = ",") -> None:
        self._content, self.where, self.delimiter = content, where, delimiter

    def open(self) -> BinaryIO:
        return io.BytesIO(self._content) if isinstance(self._content, bytes) else self._content.open("rb")

    def line_count(self) -> int:
        """Return how many lines there are at most: a cheap look."""
        with self.open() as stream:
            count, ended = 0, True
            while chunk := stream.read(COUNTED_BYTES):
                count += chunk.count(b"\n") + (0 if b"\r" not in chunk else chunk.count(b"\r") - chunk.count(b"\r\n"))
                ended = chunk.endswith((b"\n", b"\r"))
        return count + (not ended)

    def lines(self, faults: FaultList) -> Iterator[str]:
        """Lines with their ends. Raises `Refused` for what is no text, or has a line that never ends."""
        with self.open() as stream, io.TextIOWrapper(stream, encoding="utf-8-sig", newline="") as text:
            number = 0
            while True:
                try:
                    line = text.readline(MOST_LINE_BYTES)
                except UnicodeDecodeError as error:
                    faults.add(f"{self.where}, after line {number}", f"not UTF-8 ({error.reason})", "a text in UTF-8")
                    faults.refuse_if_any()
                    return
                if not line:
                    return
                number += 1
                if number % BEAT_LINES == 0:
                    beat()
                if len(line) == MOST_LINE_BYTES and not line.endswith(("\n", "\r")):
                    faults.add(f"{self.where}, line {number}", f"longer than {MOST_LINE_BYTES} characters", "lines")
                    faults.refuse_if_any()
                yield line

    def rows(self, faults: FaultList) -> Iterator[tuple[int, list[str]]]:
        """(line, cells) of every row that is not empty, cells without the blanks around them."""
        taken = 0

        def few_at_a_time() -> Iterator[str]:
            nonlocal taken
            for line in self.lines(faults):
                taken += 1
                if taken > MOST_LINES_A_ROW:
                    raise csv.Error(f"a quoted text goes on for more than {MOST_LINES_A_ROW} lines")
                yield line

        reader = csv.reader(few_at_a_time(), delimiter=self.delimiter, strict=True)
        try:
            for row in reader:
                taken = 0
                if len(row) > MOST_COLUMNS:
                    raise csv.Error(f"{len(row)} columns, at most {MOST_COLUMNS} are read")
                if row:
                    yield reader.line_num, [cell.strip() for cell in row]
        except csv.Error as error:
            faults.add(f"{self.where}, line {reader.line_num}", str(error), "comma-separated values")
            faults.refuse_if_any()

    def lines_of(self, rows: set[int], *, header: bool) -> dict[int, int]:
        """The line of each of these rows of data, counted from 0: blank lines are no rows."""
        found: dict[int, int] = {}
        if rows:
            for row, (line, _) in enumerate(self.rows(FaultList()), -1 if header else 0):
                if row in rows:
                    found[row] = line
                if row >= max(rows):
                    break
        return found


def number(cell: str, faults: FaultList, *, where: str) -> float:
    """A finite number with a decimal point; NaN (with a fault noted) for anything else."""
    try:
        value = float(cell) if "_" not in cell else math.nan
    except ValueError:
        value = math.nan
    if math.isnan(value):
        hint = "a number with a decimal point, not a comma" if "," in cell else "a number"
        faults.add(where, shown(cell), hint)
    elif math.isinf(value):
        faults.add(where, shown(cell), "a finite number")
        return math.nan
    return value


def exact(value: float) -> str:
    """Return the number so that it comes back as it was, in nine digits where these do."""
    short = f"{value:.9g}"
    return short if float(short) == value else repr(float(value))


def bounded(value: float, low: float, high: float, faults: FaultList, *, where: str, unit: str = "") -> float:
    """The value, with a fault noted where it lies beyond; NaN passes, for its fault stands already."""
    if value < low or value > high:
        faults.add(where, f"{value:g}{unit}", f"{low:g} to {high:g}{unit}")
    return value


def name(cell: str, faults: FaultList, *, where: str) -> str:
    """A text that names something: not too long, no control characters in it."""
    if len(cell) > MOST_NAME or has_controls(cell):
        faults.add(where, shown(cell), f"a name of at most {MOST_NAME} characters, none of them a control character")
    return cell


def has_controls(text: str) -> bool:
    """Control characters, NUL among them, or half characters: nothing that a name may hold."""
    return any(c < " " or "\x7f" <= c <= "\x9f" or "\ud800" <= c <= "\udfff" for c in text)


def shown(cell: str) -> str:
    return repr(cell if len(cell) <= 60 else cell[:57] + "...")


def numbers_at_once(source: Source, *, header: bool, columns: tuple[int, int], most_cells: int) -> Floats | None:
    """(columns, rows): a table of nothing but finite numbers, read in chunks. None where anything is wrong with it, so that
    the slow way can say what; also where it has more cells than are held.
    """
    faults = FaultList()
    table, done, rows = np.zeros((0, 0)), 0, source.line_count()
    lines = source.lines(faults)
    if header:
        next(lines, None)
    while chunk := _some(lines):
        try:
            part = np.loadtxt(chunk, delimiter=",", comments=None, ndmin=2)
        except ValueError:
            return None
        if part.size == 0:
            continue
        if done == 0:
            if not columns[0] <= part.shape[1] <= columns[1] or rows * part.shape[1] > most_cells:
                return None
            table = np.empty((part.shape[1], rows))
        if part.shape[1] != table.shape[0] or not np.isfinite(part).all():
            return None
        table[:, done : done + part.shape[0]] = part.T
        done += part.shape[0]
    return table[:, :done] if done else None


def _some(lines: Iterator[str]) -> list[str]:
    some = []
    for line in lines:
        some.append(line)
        if len(some) == CHUNK_LINES:
            break
    return some


def is_whole(text: str) -> bool:
    """Nothing but digits, with a minus sign or without: "²" is none."""
    digits = text.removeprefix("-")
    return digits.isascii() and digits.isdigit()


def with_point(text: str) -> str:
    """Return a number that may have a decimal comma with a point."""
    return text.replace(",", ".")
