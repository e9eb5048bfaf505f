"""Versions of firmware, compared by their numbers: 9.80 is before 10.5."""

from __future__ import annotations

import re
from typing import Annotated

from pydantic import AfterValidator

MOST_CHARACTERS = 40


def numbers(version: str) -> tuple[int, ...]:
    """The numbers of a version, in order: "v9.80.3 build 12" is (9, 80, 3, 12). Zeros at the end say nothing."""
    found = [int(part) for part in re.findall(r"\d+", version)]
    while found and found[-1] == 0:
        found.pop()
    return tuple(found)


def before(one: str, other: str) -> bool:
    """Return whether `one` is older than `other`. A part that is not there counts as 0."""
    return numbers(one) < numbers(other)


def _checked(version: str) -> str:
    if not re.search(r"[0-9]", version):
        raise ValueError("a version with a number in it, such as 9.80")
    if len(version) > MOST_CHARACTERS or not version.isprintable() or not version.isascii():
        raise ValueError(f"a version of at most {MOST_CHARACTERS} plain characters")
    return version


Firmware = Annotated[str, AfterValidator(_checked)]
