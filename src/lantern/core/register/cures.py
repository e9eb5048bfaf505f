"""What would make a device able to do what it cannot: the least change, and how it is taken."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

Way = Literal["switch_off", "lower_rate", "other_port", "other_device", "add_stream", "update", "other_type", "fewer"]


@dataclass(frozen=True)
class Cure:
    """`take`: what is to be changed in the device's document, for ways that the program can take; else it is for hands."""

    way: Way
    text: str
    take: Mapping[str, Any] = field(default_factory=dict)

    def as_dict(self) -> dict[str, Any]:
        return {"way": self.way, "text": self.text, "take": dict(self.take)}
