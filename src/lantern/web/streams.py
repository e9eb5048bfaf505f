"""Live streams that are open: so many for one log-in and so many in all, for each keeps a connection for as long as it likes."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field
from types import TracebackType

from fastapi import HTTPException

from lantern.settings import settings


@dataclass
class Place:
    """One open stream; left when it ends, however it ends."""

    streams: Streams
    whose: bytes
    held: bool = True

    def leave(self) -> None:
        if self.held:
            self.held = False
            self.streams.leave(self.whose)

    def __enter__(self) -> Place:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.leave()


@dataclass
class Streams:
    """The streams of one web process."""

    open: Counter[bytes] = field(default_factory=Counter)

    def take(self, whose: bytes) -> Place:
        """A place for one more. Raises HTTP 429 where there is none."""
        held = settings()
        if self.open[whose] >= held.streams_a_session or self.open.total() >= held.streams:
            raise HTTPException(429, "Too many live pages are open: close some of them, then reload this one.")
        self.open[whose] += 1
        return Place(self, whose)

    def leave(self, whose: bytes) -> None:
        self.open[whose] -= 1
        if not self.open[whose]:
            del self.open[whose]


STREAMS = Streams()
