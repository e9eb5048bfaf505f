"""The files of one take: the data file and what stands beside it, all inside one folder; which of them were read."""

from __future__ import annotations

from pathlib import Path

from lantern.core.faults import Fault, FaultList, Refused
from lantern.formats.limits import MOST_NAME, Limits
from lantern.formats.text import has_controls, shown


class TakeFolder:
    """`where`: the name of the file that describes the take. `left`: files that nobody meant, and that were skipped."""

    def __init__(self, folder: Path, limits: Limits, where: str) -> None:
        self.folder, self.limits, self.where = folder, limits, where
        self.used: set[Path] = {folder / where}
        self.left: list[str] = []

    def beside(self, name: str | None, *, key: str) -> Path:
        """Return the file or folder of that name. Raises `Refused` if there is none, or if it lies elsewhere."""
        where = self.where
        if not name:
            raise Refused([Fault(f"{where}: {key}", "is missing", "the name of the data file or folder")])
        if has_controls(name) or len(name) > MOST_NAME or "." in name.split("/"):
            raise Refused([Fault(f"{where}: {key}", shown(name), "the name of a file or folder beside it")])
        path = self.folder / name
        if not path.resolve().is_relative_to(self.folder.resolve()) or path.resolve() == self.folder.resolve():
            raise Refused([Fault(f"{where}: {key}", f"{name!r} leaves the take's folder", "a name inside the folder")])
        if not path.exists():
            raise Refused([Fault(f"{where}: {key}", f"{name!r} is not there", "a file or folder beside it")])
        self.used.add(path)
        return path

    def refuse_unread(self, archive: str) -> None:
        """Files of an archive that nothing names were meant for something: nobody can say for what."""
        faults = FaultList()
        for path in sorted(self.folder.rglob("*")):
            if path.is_file() and path not in self.used:
                name = path.relative_to(self.folder)
                faults.add(f"{archive}/{name}", "is not read", "only take.json and the files that it names")
        faults.refuse_if_any()
