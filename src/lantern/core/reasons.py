"""Why something happened or did not."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class Reason:
    """The reason why something happened or did not: a code for the program, a sentence for the reader, and the figures
    in it.
    """

    code: str
    text: str
    figures: dict[str, Any]

    def as_dict(self) -> dict[str, Any]:
        return {"code": self.code, "text": self.text, "figures": self.figures}
