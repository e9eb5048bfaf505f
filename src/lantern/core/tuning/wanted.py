"""Evidence that nobody waits for any more is not worked out to its end: whoever starts it says how to know, its loops ask."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar

_unwanted: ContextVar[Callable[[], bool] | None] = ContextVar("unwanted", default=None)


class UnwantedError(Exception):
    """Somebody has asked for something newer meanwhile."""


@contextmanager
def while_wanted(unwanted: Callable[[], bool]) -> Iterator[None]:
    """Within, `still_wanted` raises UnwantedError once `unwanted` says so (of this thread's work alone)."""
    token = _unwanted.set(unwanted)
    try:
        yield
    finally:
        _unwanted.reset(token)


def still_wanted() -> None:
    """Raise if nobody waits for the work any more: long loops call it now and then; without a `while_wanted` around
    them they run on.
    """
    unwanted = _unwanted.get()
    if unwanted is not None and unwanted():
        raise UnwantedError
