"""The decision of a detector of plates on the reads of a take: passages, their history, what raises, and what became of the rest."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from lantern.core.plates.deciding import Raised, first_raises, kept_of
from lantern.core.plates.detector import PlateDetector
from lantern.core.plates.dials import PlateDials
from lantern.core.plates.filters import accepted
from lantern.core.plates.history import History, history_of, own_reads
from lantern.core.plates.kind import PlateKind
from lantern.core.plates.lists import Nearest, Rolls
from lantern.core.plates.passages import Passages, keyed, passages_of
from lantern.core.plates.reads import Reads
from lantern.core.plates.verdicts import verdicts
from lantern.core.reasons import Reason
from lantern.core.watching import Bools

NAMED = 0.9  # edits: an entry so near is named, though it is no match


@dataclass(frozen=True)
class Decision:
    """One detector of plates, its dials, and the reads of one take."""

    detector: PlateDetector
    kind: PlateKind
    dials: PlateDials
    reads: Reads
    rolls: Rolls

    @property
    def passages(self) -> Passages:
        return passages_of(self.reads, self.dials.gap_s)

    def counted(self, dials: PlateDials) -> Bools:
        """(n,): which reads count."""
        reads = self.reads
        return accepted(keyed(reads).length, reads.confidence, reads.plate, self.detector.regions, dials)

    @cached_property
    def history(self) -> History:
        return history_of(self.reads, own_reads(self.passages, self.counted(self.dials)), self.dials)

    def near(self, row: int, reach: float | None = None) -> Nearest:
        """Return the entry nearest to the text of a row of the history, of those that hold at its time."""
        return self.nearest_to(self.history.text[row], float(self.history.t_s[row]), reach)

    def nearest_to(self, text: str, t: float, reach: float | None = None) -> Nearest:
        far = self.dials.tolerance + self.dials.runner_up if reach is None else reach
        return self.rolls.on(lambda: self.reads.day(t)).nearest(text, far)

    @cached_property
    def first(self) -> list[Raised]:
        """Raises before the re-arm time, one a passage."""
        return first_raises(self.history, self.near, self.dials)

    @cached_property
    def kept(self) -> list[Raised]:
        """Raises after it."""
        return kept_of(self.first, self.dials.rearm_s)

    @cached_property
    def verdicts(self) -> list[Reason]:
        """Return what became of each passage."""
        reach = max(self.dials.tolerance + self.dials.runner_up, NAMED)
        reads = [own.size for own in self.passages.reads]

        def near(row: int) -> Nearest:
            return self.near(row, reach)

        return verdicts(self.history, reads, near, self.rolls, self.reads.day, self.dials, self.first, self.kept)
