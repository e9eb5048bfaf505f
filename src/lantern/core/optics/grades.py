"""Grades of pixels per metre, by the editions of IEC 62676-4."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Edition:
    """Names with the px/m from which on they hold, the least first. `source` says how it is known."""

    name: str
    grades: tuple[tuple[str, float], ...]
    source: str

    def grade(self, px_per_m: float | None) -> str | None:
        """The highest grade that is reached; None: not even the lowest."""
        if px_per_m is None:
            return None
        reached = [name for name, least in self.grades if px_per_m >= least]
        return reached[-1] if reached else None

    def least(self, grade: str) -> float:
        """The px/m from which on a grade holds."""
        return dict(self.grades)[grade]


EDITIONS = {
    "2014": Edition(
        "2014",
        (
            ("monitor", 12.5),
            ("detect", 25),
            ("observe", 62.5),
            ("recognise", 125),
            ("identify", 250),
            ("inspect", 1000),
        ),
        "IEC/EN 62676-4:2014/2015, from memory",
    ),
    "2025": Edition(
        "2025",
        (
            ("overview", 20),
            ("outline", 40),
            ("discern", 80),
            ("perceive", 125),
            ("characterise", 250),
            ("validate", 500),
            ("scrutinise", 1500),
        ),
        "IEC 62676-4:2025, from memory, less sure",
    ),
}
