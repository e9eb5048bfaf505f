"""Orders: an effect asked for of one thing at one time, how it stands, and what came of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

COINCIDE_S = 1e-6  # instants nearer than this are one
DEFAULT_PRIORITY, DEFAULT_EXPIRE_S = 5, 60.0
LATE_S, LATE_SHARE = 0.5, 0.1  # what begins later than this, or than this share of its length, begins late

WhenBusy = Literal["drop", "wait", "replace"]
Stage = Literal["ordered", "waiting", "running", "over"]
Result = Literal["done", "cut", "busy", "expired", "dropped", "asleep"]


@dataclass(frozen=True, slots=True)
class Order:
    """One effect ordered of one thing (an output, a device). `key`: the caller's own number; of equals the lesser goes first.

    `at_s`: when it is to begin, the link's delay in it; `length_s` None: until somebody acknowledges it. `priority` 1 is the
    most urgent. `expire_s`: so long it may wait. `when_busy`: of things that do one thing at a time.
    """

    key: int
    thing: str
    at_s: float
    length_s: float | None
    priority: int = DEFAULT_PRIORITY
    expire_s: float = DEFAULT_EXPIRE_S
    when_busy: WhenBusy = "drop"

    @property
    def latched(self) -> bool:
        return self.length_s is None

    @property
    def last_s(self) -> float:
        """The latest instant at which it may still begin."""
        return self.at_s + self.expire_s

    @property
    def place(self) -> tuple[int, float, int]:
        """Return its place among several that could begin, where the least goes first: the more urgent, then the one
        ordered earlier.
        """
        return self.priority, self.at_s, self.key


@dataclass(slots=True)
class Standing:
    """How an order stands. `from_s`, `to_s`: when it began, and when it ends or ended (None: not known, or latched).

    Ordered: not due yet; waiting: due, and not begun; over: with its result.
    """

    order: Order
    stage: Stage = "ordered"
    from_s: float | None = None
    to_s: float | None = None
    result: Result | None = None
    because: str = ""

    def begin(self, instant_s: float, t: float) -> None:
        """It begins at its instant, or at `t`, if that is noticeably later. One that begins late keeps its length."""
        length_s = self.order.length_s
        slack_s = LATE_S if length_s is None else min(LATE_S, LATE_SHARE * length_s)
        self.from_s = instant_s if t - instant_s <= slack_s else t
        self.to_s = None if length_s is None else self.from_s + length_s
        self.stage, self.result = "running", "done"

    def end(self, result: Result, because: str, to_s: float | None = None) -> None:
        """It is over; `to_s` is when it ended, if it had begun."""
        self.stage, self.result, self.because = "over", result, because
        if self.from_s is not None:
            self.to_s = to_s


def reached(instant_s: float, t: float) -> bool:
    """Return whether an instant is over at `t`, or falls on it."""
    return instant_s <= t + COINCIDE_S
