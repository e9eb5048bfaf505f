"""Names of things in a file, by the order of their coming."""

from __future__ import annotations

from lantern.core.faults import FaultList
from lantern.formats.limits import MOST_ID
from lantern.formats.text import is_whole, shown


class Names:
    """Distinct texts, each with its place in the order of their coming."""

    def __init__(self) -> None:
        self._places: dict[str, int] = {}

    def index(self, text: str) -> int:
        return self._places.setdefault(text, len(self._places))

    @property
    def all(self) -> list[str]:
        return list(self._places)

    def known(self, faults: FaultList, *, where: str) -> list[int] | list[str]:
        """Return the names as whole numbers, where all are; a fault is noted for one that is too large."""
        texts = self.all
        if not all(is_whole(text) for text in texts):
            return texts
        for text in texts:
            if len(text) > 17 or abs(int(text)) >= MOST_ID:
                faults.add(where, shown(text), "a whole number below 2^53")
        return [int(text) if len(text) <= 17 else 0 for text in texts]
