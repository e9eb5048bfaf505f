"""Forms that plates of five countries have, as templates; of variable length, a template a length. National rules, from memory.

What a form never shows (SS in France, 000) is no matter of position: such texts are flagged, and neither mended nor refused.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass

from lantern.core.plates.keys import codes_of, key_of
from lantern.core.plates.syntax import Syntax

GB_FIRST, GB_LAST = "[A-HJ-PR-Y]", "[A-HJ-PR-Z]"
FR = "[A-HJ-NP-TV-Z]"
NL = "[BDFGHJKLNPRSTVXZ]"
SE, SE_LAST = "[A-HJ-PR-UW-Z]", "[0-9A-HJ-NPR-UW-Z]"
DE_LONGEST = 8


def _german() -> tuple[str, ...]:
    """One to three letters of the place, one or two more, a number without a leading nought, E or H at its end; at most 8."""
    out = []
    for letters in range(2, 6):
        for digits in range(1, 5):
            for end in ("", "[EH]"):
                if letters + digits + bool(end) <= DE_LONGEST:
                    out.append("L" * letters + "[1-9]" + "D" * (digits - 1) + end)
    return tuple(out)


def _never_in_france(key: str) -> str:
    if re.match(r"^(SS|WW)", key) or key[5:7] == "SS":
        return "SS and WW are not given out"
    return "000 is not given out" if key[2:5] == "000" else ""


def _nothing(key: str) -> str:
    return ""


@dataclass(frozen=True)
class Form:
    """`never`: why a text that fits was never given out; "" where it may have been."""

    name: str
    says: str
    templates: tuple[str, ...]
    never: Callable[[str], str] = _nothing

    def fits(self, text: str) -> bool:
        """Return whether the key of a text has this form."""
        key = key_of(text)
        return bool(key) and Syntax(self.templates).fits(codes_of(key))


FORMS = (
    Form("GB", "Great Britain since 2001: AB12 CDE", (GB_FIRST * 2 + "DD" + GB_LAST * 3,)),
    Form("DE", "Germany: one to three letters, one or two, a number, E or H", _german()),
    Form("FR", "France since 2009: AB-123-CD", (FR * 2 + "DDD" + FR * 2,), _never_in_france),
    Form("NL", "the Netherlands, present series: G-123-BH", (NL + "DDD" + NL * 2,)),
    Form("SE", "Sweden since 2019: ABC 12D", (SE * 3 + "DD" + SE_LAST,)),
)
