"""Which samples of a live device go on a recording: asked for, in set hours, and around what was decided."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass, field
from typing import Any, NamedTuple


class Held(NamedTuple):
    """A sample as it came: the device's time of it (s), the sample, its size, and when it came (Unix s)."""

    t: float
    value: Any
    size: int
    came: float


@dataclass(frozen=True, slots=True)
class Offer:
    """What a sample changed: those that now go on the recording (it and what came before), and whether one begins or ends with it."""

    goes: tuple[Held, ...] = ()
    begins: bool = False
    ends: bool = False


@dataclass
class Reel:
    """Holds the last `before_s`, so that a recording around an event begins before it. `most` bytes are held at most."""

    before_s: float = 0.0
    most: int = 64 * 2**20
    until: float | None = None  # Unix s up to which it is wanted; None: it is not
    running: bool = False
    ring: deque[Held] = field(default_factory=deque)
    held: int = 0  # bytes
    back_s: float = 0.0  # so much of what is held is wanted with it

    def want(self, until: float, back_s: float | None = None) -> None:
        """It is wanted up to then, or longer if it was, with what is held of the last `back_s` (None: all that is)."""
        self.until = until if self.until is None else max(self.until, until)
        self.back_s = max(self.back_s, self.before_s if back_s is None else back_s)

    def want_no_more(self) -> None:
        self.until, self.back_s = None, 0.0

    def offer(self, sample: Held, *, always: bool = False) -> Offer:
        """Take one sample; `always`: it is wanted, whatever was asked (set hours)."""
        wanted = always or (self.until is not None and sample.came <= self.until)
        if wanted:
            before = tuple(held for held in self.ring if sample.t - held.t <= self.back_s)
            self.clear()
            self.back_s = 0.0
            begins, self.running = not self.running, True
            return Offer((*before, sample), begins=begins)
        self.want_no_more()
        ends, self.running = self.running, False
        self.ring.append(sample)
        self.held += sample.size
        while self.ring and (sample.t - self.ring[0].t > self.before_s or self.held > self.most):
            self.held -= self.ring.popleft().size
        return Offer(ends=ends)

    def clear(self) -> None:
        """Let go of what came before: it was recorded, or the device's clock has jumped."""
        self.ring.clear()
        self.held = 0
