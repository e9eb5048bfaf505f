"""Numbers of things in words, so that one is one thing everywhere."""

from __future__ import annotations


def many(number: float, one: str, several: str = "") -> str:
    """Return a number of things: `1 place`, `2 places`; `several` where that is not `one` with an s."""
    return f"{number:g} {one if number == 1 else several or one + 's'}"
