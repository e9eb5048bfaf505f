"""Work in a thread of the web process that a page follows: with progress, and an end that somebody may make; one of a sort a device."""

from __future__ import annotations

import threading
from collections.abc import Callable, Generator
from contextlib import closing
from dataclasses import dataclass, field
from typing import Any, Generic, NamedTuple, TypeVar

import structlog

from lantern.core.faults import Fault, LanternError, Refused

log = structlog.get_logger()
T = TypeVar("T", bound=tuple[Any, ...])


@dataclass
class Running(Generic[T]):
    """One under way: `done` of `of`, what was `found` so far, and why it ended, if it failed."""

    of: int
    done: int = 0
    found: list[T] = field(default_factory=list)
    said: str = ""
    over: bool = False
    stopped: bool = False


class Told(NamedTuple):
    """How one stands, for a page."""

    open: bool
    done: int
    of: int
    found: list[list[Any]]
    said: str


class Routine(Generic[T]):
    """Those of one sort: those under way, and the last of each device. `name`: what it is, in a word."""

    def __init__(self, name: str) -> None:
        self.name = name
        self._held: dict[int, Running[T]] = {}

    def begin(self, device_id: int, of: int, work: Callable[[Running[T]], Generator[T | None]]) -> None:
        """Begin, in a thread of its own: `work` is told how it stands, and yields one after another (None: nothing there). Raises `Refused`
        where one is under way.
        """
        held = self._held.get(device_id)
        if held is not None and not held.over:
            raise Refused([Fault(self.name, "it is under way", "the end of that, or stop it")])
        fresh = self._held[device_id] = Running[T](of)
        threading.Thread(target=self._run, args=(device_id, fresh, work), name=self.name, daemon=True).start()

    def _run(self, device_id: int, held: Running[T], work: Callable[[Running[T]], Generator[T | None]]) -> None:
        try:
            with closing(work(held)) as going:
                for found in going:
                    if found is not None:
                        held.found.append(found)
                    held.done += 1
                    if held.stopped:
                        held.said = "It was stopped."
                        break
        except LanternError as error:
            held.said = str(error)
        except Exception as error:
            log.exception("a routine failed", device=device_id, routine=self.name)
            held.said = f"an error of the program, {type(error).__name__}: the log says more"
        finally:
            held.over = True

    def stop(self, device_id: int) -> None:
        held = self._held.get(device_id)
        if held is not None:
            held.stopped = True

    def told(self, device_id: int) -> dict[str, Any]:
        held = self._held.get(device_id)
        if held is None:
            return Told(open=False, done=0, of=0, found=[], said="")._asdict()
        found = [list(each) for each in held.found]
        return Told(not held.over, held.done, held.of, found, held.said)._asdict()

    def found(self, device_id: int) -> list[T]:
        """Return what was found last. Raises `Refused` where nothing was."""
        held = self._held.get(device_id)
        if held is None or not held.over or not held.found:
            raise Refused([Fault(self.name, "nothing was found yet", "one that has come to its end")])
        return list(held.found)
