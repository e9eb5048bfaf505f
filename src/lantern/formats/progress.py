"""A word from a reader now and then that it gets on: whoever waits for it may give up on one that says nothing."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar


def _nobody() -> None:
    return None


_told: ContextVar[Callable[[], None]] = ContextVar("told", default=_nobody)


def beat() -> None:
    """Another part of the file is done; said every few thousand rows, or every page."""
    _told.get()()


@contextmanager
def telling(told: Callable[[], None]) -> Iterator[None]:
    """Within this, `told` is called at every beat."""
    token = _told.set(told)
    try:
        yield
    finally:
        _told.reset(token)
