"""The border: whatever a reader raises, of its own or of a library, becomes a fault with file and place."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import TypeVar

from lantern.core.faults import Fault, LanternError, Refused

T = TypeVar("T")
WHOLE = "a whole file of a format in docs/files.md"


@contextmanager
def border(where: str, expected: str = WHOLE) -> Iterator[None]:
    """Raises `Refused` in place of anything that is not an error of the program's own making."""
    try:
        yield
    except LanternError:
        raise
    except (MemoryError, RecursionError) as error:
        what = "needs more memory than a reader may take" if isinstance(error, MemoryError) else "is nested too deep"
        raise Refused([Fault(where, what, "a smaller or simpler file")]) from error
    except OSError as error:
        raise Refused([Fault(where, f"cannot be read: {error.strerror or error}", expected)]) from error
    except Exception as error:
        raise Refused([Fault(where, f"cannot be read: {words_of(error)}", expected)]) from error


def words_of(error: Exception) -> str:
    """Return what it says, in one short line, with its kind where that says more."""
    said = " ".join(str(error).split())[:200]
    return f"{type(error).__name__}: {said}" if said else type(error).__name__


def within_border(where: str, make: Callable[[], Iterator[T]]) -> Callable[[], Iterator[T]]:
    """An iterator of which each step is taken within the border."""

    def steps() -> Iterator[T]:
        with border(where):
            going = make()
        while True:
            with border(where):
                try:
                    step = next(going)
                except StopIteration:
                    return
            yield step

    return steps
