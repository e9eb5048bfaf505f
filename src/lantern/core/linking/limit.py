"""A limit on how often a link fires: so many at once, then one in so long. What comes more often is held back, and counted.

A token bucket (I05): it begins full, a firing takes one, and it fills up evenly.
"""

from __future__ import annotations

from dataclasses import dataclass

from lantern.core.rule import TIME_TOLERANCE_S

MOST_BURST, MOST_REFILL_S = 10_000, 7 * 86_400.0


@dataclass
class Bucket:
    """`left` at `at_s` (None: nothing came yet, and it is full); `held`: how many it has held back."""

    burst: int
    refill_s: float
    left: float = 0.0
    at_s: float | None = None
    held: int = 0

    def lets(self, t_s: float) -> bool:
        """Return whether what fires at a time may: then it takes one. Times rise; one that falls back finds it as it is."""
        before = t_s if self.at_s is None else self.at_s
        self.left = float(self.burst) if self.at_s is None else self.left
        self.left = min(self.left + max(t_s - before, 0.0) / self.refill_s, float(self.burst))
        self.at_s = max(t_s, before)
        if self.left * self.refill_s >= self.refill_s - TIME_TOLERANCE_S:
            self.left = max(self.left - 1.0, 0.0)
            return True
        self.held += 1
        return False
