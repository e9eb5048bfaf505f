"""A folder or zip of CSV matrices in °C, one a frame, in the order of their names."""

from __future__ import annotations

import zipfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.signals import Floats, Pixels
from lantern.formats.limits import Limits
from lantern.formats.tables import number, read_text

BLOCK_FRAMES = 16


class Matrices:
    """The CSV files of a folder or zip; the first one gives the size."""

    def __init__(self, path: Path, limits: Limits) -> None:
        self.path = path
        faults = FaultList()
        if path.is_dir():
            self.names = sorted(p.name for p in path.iterdir() if p.suffix.lower() == ".csv")
        else:
            try:
                with zipfile.ZipFile(path) as archive:
                    members = archive.infolist()
            except (zipfile.BadZipFile, OSError) as error:
                raise Refused([Fault(path.name, f"not a readable zip: {error}", "a zip of CSV files")]) from error
            self.names = sorted(m.filename for m in members if m.filename.lower().endswith(".csv"))
            unpacked = sum(m.file_size for m in members)
            limits.check(faults, where=path.name, packed=path.stat().st_size, unpacked=unpacked)
        if not self.names:
            faults.add(path.name, "no CSV file in it", "one CSV matrix a frame")
        faults.refuse_if_any()
        first = self._parse(self.names[0], next(self._read([self.names[0]])), faults, None)
        faults.refuse_if_any()
        self.height, self.width = first.shape

    def __len__(self) -> int:
        return len(self.names)

    def blocks(self) -> Iterator[Pixels]:
        """Frames in order; all faults are refused after the last file."""
        faults = FaultList()
        shape = (self.height, self.width)
        block: list[Floats] = []
        for name, data in zip(self.names, self._read(self.names), strict=True):
            matrix = self._parse(name, data, faults, shape)
            block.append(matrix if matrix.shape == shape else np.zeros(shape))
            if len(block) == BLOCK_FRAMES:
                yield np.stack(block)
                block = []
            if faults.full():
                break
        if block:
            yield np.stack(block)
        faults.refuse_if_any()

    def _read(self, names: list[str]) -> Iterator[bytes]:
        if self.path.is_dir():
            for name in names:
                yield (self.path / name).read_bytes()
        else:
            with zipfile.ZipFile(self.path) as archive:
                for name in names:
                    try:
                        yield archive.read(name)
                    except (zipfile.BadZipFile, OSError, RuntimeError, NotImplementedError) as error:
                        raise Refused(
                            [Fault(f"{self.path.name}/{name}", f"{error}", "a file that is whole")]
                        ) from error

    def _parse(self, name: str, data: bytes, faults: FaultList, shape: tuple[int, int] | None) -> Floats:
        where = f"{self.path.name}/{name}"
        lines = [line for line in read_text(data, faults, where=where).splitlines() if line.strip()]
        try:
            matrix = np.array([[float(cell) for cell in line.rstrip(",").split(",")] for line in lines])
        except ValueError:
            matrix = np.empty((0, 0))
        if matrix.ndim == 2 and matrix.size and np.isfinite(matrix).all():
            if shape is not None and matrix.shape != shape:
                size = f"{matrix.shape[1]} x {matrix.shape[0]} values"
                faults.add(where, size, f"{shape[1]} x {shape[0]} as in {self.names[0]}")
            return matrix
        self._explain(lines, faults, where)
        return np.zeros(shape or (1, 1))

    @staticmethod
    def _explain(lines: list[str], faults: FaultList, where: str) -> None:
        if not lines:
            faults.add(where, "empty", "a matrix of temperatures in °C")
        widths = set()
        for line_number, line in enumerate(lines, 1):
            cells = line.rstrip(",").split(",")
            widths.add(len(cells))
            for column, cell in enumerate(cells, 1):
                number(cell.strip(), faults, where=f"{where}, line {line_number}, column {column}")
        if len(widths) > 1:
            faults.add(where, f"rows of {min(widths)} to {max(widths)} values", "rows of one length")
