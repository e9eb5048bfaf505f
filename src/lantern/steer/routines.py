"""What a head does by itself for a while: afterwards it looks where it looked before."""

from __future__ import annotations

from collections.abc import Callable, Generator
from typing import Any, TypeVar

from lantern.register.heads import Steered
from lantern.routines import Routine, Running
from lantern.steer.heads import speak

T = TypeVar("T", bound=tuple[Any, ...])


class HeadRoutine(Routine[T]):
    """Those of one sort."""

    def begin_with(self, steered: Steered, of: int, work: Callable[[Running[T]], Generator[T | None]]) -> None:
        """Begin with a head. Raises `Refused` where one is under way with it."""

        def there_and_back(held: Running[T]) -> Generator[T | None]:
            begins = speak(steered, "routine", lambda head: head.status())
            try:
                yield from work(held)
            finally:
                speak(steered, "routine", lambda head: head.absolute(begins.pan, begins.tilt, begins.zoom))

        self.begin(steered.id, of, there_and_back)
