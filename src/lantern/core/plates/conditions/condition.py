"""What must hold at a read before its passage raises: a condition of a module each, and the rule that compares it with a dial."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from typing import ClassVar

import numpy as np

from lantern.core.plates.dials import PlateDials
from lantern.core.plates.history import History
from lantern.core.reasons import Reason
from lantern.core.signals import Floats
from lantern.core.watching import Bools

EQUAL = 1e-9


class Condition(ABC):
    """One of the conditions. `dials` decide it, and nothing before it depends on them; `words` names what it says of a passage that
    lacks it, the nearest to a raise first; `doubtful`: such a passage was not read well enough, and is worth a look.
    """

    dials: ClassVar[tuple[str, ...]]
    words: ClassVar[Mapping[str, str]]
    doubtful: ClassVar[bool] = False

    def applies(self, dials: PlateDials) -> bool:
        """Return whether it plays a part under these dials."""
        return True

    @abstractmethod
    def holds(self, history: History, dials: PlateDials) -> Bools:
        """(m,): at which rows it holds."""

    @abstractmethod
    def lacking(self, history: History, rows: Sequence[int], dials: PlateDials) -> Reason:
        """Return why it holds at none of these rows of one passage, at which all conditions before it hold."""


class UpTo(Condition):
    """A dial asks for so much: a row counts while the dial is at most the row's `limit`."""

    swept: ClassVar[str]

    @abstractmethod
    def limit(self, history: History, dials: PlateDials) -> Floats:
        """(m,) the greatest value of the dial at which each row counts."""

    def holds(self, history: History, dials: PlateDials) -> Bools:
        return np.asarray(getattr(dials, self.swept) <= self.limit(history, dials))


class FromOn(Condition):
    """A dial allows so much: a row counts once the dial is at least the row's `limit`."""

    swept: ClassVar[str]

    @abstractmethod
    def limit(self, history: History, dials: PlateDials) -> Floats:
        """(m,) the least value of the dial at which each row counts."""

    def holds(self, history: History, dials: PlateDials) -> Bools:
        return np.asarray(getattr(dials, self.swept) >= self.limit(history, dials))


def counted(reads: int) -> str:
    """Return so many reads, in words."""
    return "1 read" if reads == 1 else f"{reads} reads"
