"""How long a device is waited for: learnt from its answers, so that one that is slow and steady is not taken for one that is gone."""

from __future__ import annotations

from dataclasses import dataclass, field
from statistics import median

LIMIT_S = 1.5  # of a device that nothing is known of
LONGEST_S = 6.0  # nobody is waited for longer
SPARE = 2.0  # times the slowest of its last answers
LAST, USUAL = 16, 3
SLOW_S = 0.5  # answers that are slower are told


@dataclass
class Pace:
    """Of one device: how long its last answers took, in s, and how long the next is waited for."""

    limit_s: float = LIMIT_S
    waited_s: float = LIMIT_S  # for the answer that was lost last
    answers_s: list[float] = field(default_factory=list)

    def took(self, seconds: float) -> None:
        """An answer came."""
        self.answers_s = [*self.answers_s[-LAST + 1 :], seconds]
        self.limit_s = min(max(LIMIT_S, SPARE * max(self.answers_s)), LONGEST_S)

    def lost(self) -> None:
        """None came in time: the next is waited for longer."""
        self.waited_s = self.limit_s
        self.limit_s = min(self.limit_s * SPARE, LONGEST_S)

    def begin_anew(self) -> None:
        """It is quick again: nothing that was learnt holds."""
        self.answers_s, self.limit_s = [], LIMIT_S

    @property
    def slow(self) -> str:
        """What whoever reads a page should know; empty: its answers are quick."""
        if not self.answers_s or (usual := median(self.answers_s[-USUAL:])) < SLOW_S:
            return ""
        return f"slow: its answers take {usual:.1f} s, and are waited for up to {self.limit_s:.1f} s; all it does comes as much later"
