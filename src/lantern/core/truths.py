"""What things on a take truly were, as somebody says: a text or an identity, for what a device named at a time."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Said:
    """The object that a device named so, at `at_s` of the take, truly was `text`; an empty text takes back what was said.

    `agreed`: somebody only agreed to what the machine said, which is weaker evidence than what they typed themselves.
    """

    object: str
    at_s: float
    text: str
    agreed: bool = False
