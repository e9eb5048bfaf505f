"""What a gate that compares voices gives: probes, each with the name that is nearest to it and how near."""

from __future__ import annotations

from dataclasses import dataclass

from lantern.core.signals import Floats


@dataclass(frozen=True, slots=True)
class Likeness:
    """`score`: 0 to 1."""

    probe: str
    nearest: str
    score: float


@dataclass(frozen=True)
class Probes:
    """`t_s` (n,) of each."""

    t_s: Floats
    likenesses: tuple[Likeness, ...]

    def __len__(self) -> int:
        return len(self.likenesses)
