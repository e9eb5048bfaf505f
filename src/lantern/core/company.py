"""What other devices of the site gave while one took its samples: kinds that hold one device against another read it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any


@dataclass(frozen=True)
class Stands:
    """A device as it stood then. `mount`: as its document has it, None where it stands nowhere on the plan; `pixels` of its picture."""

    mount: Mapping[str, Any] | None
    pixels: tuple[int, int] | None = None


@dataclass(frozen=True)
class Meanwhile:
    """A take of another device: what it holds, how much later than ours it began, and how long it is."""

    signal: str
    value: Any
    later_s: float
    length_s: float
    stands: Stands


@dataclass(frozen=True)
class Around:
    """Where a live device and its companions stand, by their codes."""

    own: Stands
    others: Mapping[str, Stands]


@dataclass(frozen=True)
class Company:
    """Where the device itself stood, and what others gave meanwhile, by their codes."""

    own: Stands
    others: Mapping[str, tuple[Meanwhile, ...]] = field(default_factory=dict)
