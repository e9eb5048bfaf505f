"""What the evidence of a kind is laid out along: the axis beneath a bench, a rehearsal and a walk."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class Axis:
    """`lane` is what the lane of its traces is called. An axis in seconds shows the time of day, any other its numbers."""

    lane: str = "reading"
    name: str = "time"
    unit: str = "s"

    def as_dict(self) -> dict[str, Any]:
        """Return it as a page has it."""
        return asdict(self)


TIME = Axis()
