"""The root of the program's errors, and what a refusal of bad input is made of."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

MOST_FAULTS = 50


class LanternError(Exception):
    """Anything that went wrong and that a user can do something about."""


@dataclass(frozen=True, slots=True)
class Fault:
    """One thing wrong with an input: where it stands, what is wrong, and what was expected (the remedy)."""

    where: str
    what: str
    expected: str

    def __str__(self) -> str:
        return f"{self.where}: {self.what}; expected {self.expected}"

    def as_dict(self) -> dict[str, str]:
        return {"where": self.where, "what": self.what, "expected": self.expected}


class Refused(LanternError):
    """Input refused whole, with every fault that was found (up to 50)."""

    def __init__(self, faults: Iterable[Fault]) -> None:
        self.faults = list(faults)[:MOST_FAULTS]
        super().__init__("\n".join(str(fault) for fault in self.faults))


class FaultList:
    """Collects faults while reading; `stop()` is true once as many are held as are ever shown."""

    def __init__(self) -> None:
        self.faults: list[Fault] = []

    def add(self, where: str, what: str, expected: str) -> None:
        if not self.full():
            self.faults.append(Fault(where, what, expected))

    def full(self) -> bool:
        return len(self.faults) >= MOST_FAULTS

    def refuse_if_any(self) -> None:
        if self.faults:
            raise Refused(self.faults)
