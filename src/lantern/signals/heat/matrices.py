"""A folder or zip of CSV matrices in °C, one a frame, in the order of their names."""

from __future__ import annotations

import zipfile
from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path

import numpy as np

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.signals import Floats, Pixels
from lantern.formats.archive import members_of, opened
from lantern.formats.border import border
from lantern.formats.limits import COLDEST_C, HOTTEST_C, MIB, Limits
from lantern.formats.progress import beat
from lantern.formats.text import Source, exact, number

BLOCK_BYTES = 8 * MIB
MOST_BYTES_A_PIXEL = 40


class Matrices:
    """The CSV files of a folder or zip; the first one gives the size. `left`: what was found beside them and skipped."""

    def __init__(self, path: Path, limits: Limits) -> None:
        self.path, self.limits = path, limits
        self.left: list[str] = []
        faults = FaultList()
        if path.is_dir():
            self.names = sorted(p.name for p in path.iterdir() if p.suffix.lower() == ".csv")
        else:
            members, self.left = members_of(path, limits)
            self.names = sorted(m.filename for m in members if m.filename.lower().endswith(".csv"))
            for other in (m.filename for m in members if not m.filename.lower().endswith(".csv")):
                faults.add(f"{path.name}/{other}", "is no CSV matrix and would not be read", "one CSV matrix a frame")
        if not self.names:
            faults.add(path.name, "no CSV file in it", "one CSV matrix a frame")
        if len(self.names) > limits.frames:
            faults.add(path.name, f"{len(self.names)} frames", f"at most {limits.frames} (a setting)")
        faults.refuse_if_any()
        self._most_bytes = limits.pixels * MOST_BYTES_A_PIXEL  # of one file, until the first has told the size
        self.height, self.width = self._first_shape(faults)
        self._most_bytes = MIB + self.height * self.width * MOST_BYTES_A_PIXEL

    def __len__(self) -> int:
        return len(self.names)

    def blocks(self) -> Iterator[Pixels]:
        """Frames in order; all faults are refused after the last file."""
        faults = FaultList()
        shape = (self.height, self.width)
        most = max(1, BLOCK_BYTES // (self.height * self.width * 8))
        block: list[Floats] = []
        for name, data in zip(self.names, self._read(self.names), strict=True):
            matrix = self._parse(name, data, faults, shape)
            block.append(np.zeros(shape) if matrix is None else matrix)
            if len(block) == most:
                yield np.stack(block)
                block = []
            if faults.full():
                break
        if block:
            yield np.stack(block)
        faults.refuse_if_any()

    def _first_shape(self, faults: FaultList) -> tuple[int, int]:
        first = self._parse(self.names[0], next(self._read([self.names[0]])), faults, None)
        faults.refuse_if_any()
        assert first is not None
        return first.shape[0], first.shape[1]

    def _read(self, names: list[str]) -> Iterator[bytes]:
        """Each file's bytes; refused beyond what a frame can take."""
        with ExitStack() as stack:
            archive = None if self.path.is_dir() else stack.enter_context(zipfile.ZipFile(self.path))
            for name in names:
                where = f"{self.path.name}/{name}"
                with border(where, "a file that is whole"):
                    if archive is None:
                        with (self.path / name).open("rb") as plain:
                            data = plain.read(self._most_bytes + 1)
                    else:
                        with opened(archive, archive.getinfo(name)) as packed:
                            data = packed.read(self._most_bytes + 1)
                if len(data) > self._most_bytes:
                    raise Refused(
                        [Fault(where, f"more than {self._most_bytes} bytes", "one matrix of temperatures in °C")]
                    )
                beat()
                yield data

    def _parse(self, name: str, data: bytes, faults: FaultList, shape: tuple[int, int] | None) -> Floats | None:
        where = f"{self.path.name}/{name}"
        rows: list[Floats] = []
        for line in Source(data, where).lines(faults):
            if line.strip():
                try:
                    rows.append(np.array(line.strip().rstrip(",").split(","), dtype=np.float64))
                except ValueError:
                    rows.append(np.zeros(0))
            if sum(map(len, rows[:1])) * len(rows) > self.limits.pixels:
                faults.add(where, f"more than {self.limits.pixels} pixels", "a smaller picture (a setting)")
                faults.refuse_if_any()
        widths = {row.size for row in rows}
        if rows and len(widths) == 1 and 0 not in widths:
            matrix = np.stack(rows)
            if not (np.isfinite(matrix).all() and matrix.min() >= COLDEST_C and matrix.max() <= HOTTEST_C):
                return self._explain(data, faults, where)
            if shape is not None and matrix.shape != shape:
                size = f"{matrix.shape[1]} x {matrix.shape[0]} values"
                faults.add(where, size, f"{shape[1]} x {shape[0]} as in {self.names[0]}")
                return None
            return matrix
        return self._explain(data, faults, where)

    @staticmethod
    def _explain(data: bytes, faults: FaultList, where: str) -> None:
        widths: set[int] = set()
        for line_number, line in enumerate(Source(data, where).lines(FaultList()), 1):
            if not line.strip() or faults.full():
                continue
            cells = line.strip().rstrip(",").split(",")
            widths.add(len(cells))
            for column, cell in enumerate(cells, 1):
                place = f"{where}, line {line_number}, column {column}"
                value = number(cell.strip(), faults, where=place)
                if value < COLDEST_C or value > HOTTEST_C:
                    faults.add(place, f"{value:g} °C", f"{COLDEST_C:g} to {HOTTEST_C:g} °C")
                if faults.full():
                    break
        if not widths:
            faults.add(where, "empty", "a matrix of temperatures in °C")
        if len(widths) > 1:
            faults.add(where, f"rows of {min(widths)} to {max(widths)} values", "rows of one length")


def write_matrices(blocks: Iterator[Pixels], path: Path) -> None:
    """A zip of one CSV matrix a frame; doubles come back as they were."""
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as held:
        at = 0
        for block in blocks:
            for frame in block:
                rows = "\n".join(",".join(map(exact, row)) for row in frame.tolist())
                held.writestr(f"{at:06d}.csv", f"{rows}\n")
                at += 1
