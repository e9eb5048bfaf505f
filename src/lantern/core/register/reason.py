"""Why a device cannot do something, or why nobody knows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

Code = Literal[
    "type", "ability", "firmware", "excluded", "load", "picture", "rate", "regions", "lines", "lists", "streams", "mixed",
    "port", "budget", "mounting",
]  # fmt: skip


@dataclass(frozen=True)
class Reason:
    """`lacks`: by how much, in `unit`, where it is a number; `names`: what it is about (abilities, detectors).

    `unsure`: it does not forbid, something is not known.
    """

    code: Code
    text: str
    unsure: bool = False
    lacks: float | None = None
    unit: str = ""
    names: tuple[str, ...] = ()

    def as_dict(self) -> dict[str, Any]:
        return {
            "code": self.code,
            "text": self.text,
            "unsure": self.unsure,
            "lacks": self.lacks,
            "unit": self.unit,
            "names": list(self.names),
        }
