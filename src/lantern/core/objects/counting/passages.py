"""Walking through once each way: do the counts follow? The oldest check of a counter (common practice, no source)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal


@dataclass(frozen=True, slots=True)
class PassageTest:
    """What was counted since somebody set out to pass once in and once out."""

    came: int
    left: int

    @property
    def verdict(self) -> Literal["open", "right", "wrong"]:
        """Right as soon as both were counted once; wrong as soon as one was counted twice; open until then."""
        if self.came > 1 or self.left > 1:
            return "wrong"
        return "right" if self.came == self.left == 1 else "open"

    @property
    def words(self) -> str:
        ends = {"right": ". Verified.", "wrong": ". Not verified.", "open": ""}
        return f"{_said(self.came, 'in')}, {_said(self.left, 'out')}{ends[self.verdict]}"


def _said(count: int, way: str) -> str:
    if count == 0:
        return f"nobody {way} yet"
    return f"one {way}: right" if count == 1 else f"{count} {way}: wrong"
