"""Forms that plates have: templates that a voted text is held against, position by position."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import lru_cache

import numpy as np

from lantern.core.faults import Fault, Refused
from lantern.core.plates.keys import ALPHABET, CONFUSABLE, DIGITS, LETTERS, Codes
from lantern.core.signals import Floats
from lantern.core.watching import Bools

LONGEST = 16  # positions of a template
WORDS = "L a letter, D a digit, ? either, or a set such as [A-HJ-P0]; one a position, at most 16"
_PARTS = re.compile(r"\[\^?[A-Z0-9-]+\]|[LD?]")


@lru_cache(maxsize=256)
def template(text: str) -> Bools:
    """(positions, 36): which symbols fit where. Raises `Refused` for what is no template."""
    parts = _PARTS.findall(text)
    if "".join(parts) != text or not 1 <= len(parts) <= LONGEST:
        raise Refused([Fault(f"dials.syntaxes: {text[:40]}", "is no template", WORDS)])
    fits = np.array([_fitting(part, text) for part in parts], dtype=np.bool_)
    if not fits.any(axis=1).all():
        raise Refused([Fault(f"dials.syntaxes: {text[:40]}", "has a position that nothing fits", WORDS)])
    return fits


def _fitting(part: str, text: str) -> list[bool]:
    if part in ("L", "D", "?"):
        symbols = {"L": LETTERS, "D": DIGITS, "?": ALPHABET}[part]
        return [symbol in symbols for symbol in ALPHABET]
    try:
        pattern = re.compile(part)
    except re.error as error:
        raise Refused([Fault(f"dials.syntaxes: {text[:40]}", f"{part}: {error}", WORDS)]) from error
    return [pattern.fullmatch(symbol) is not None for symbol in ALPHABET]


class Syntax:
    """Several templates at once; without any, every text stays as it is."""

    def __init__(self, templates: Sequence[str]) -> None:
        self.by_length: dict[int, list[Bools]] = {}
        for text in templates:
            fits = template(text)
            self.by_length.setdefault(len(fits), []).append(fits)
        self.templates = tuple(templates)

    def fits(self, codes: Codes | Sequence[int]) -> bool:
        """Return whether a text (its codes) fits one of the templates."""
        places = np.arange(len(codes))
        return any(bool(fits[places, codes].all()) for fits in self.by_length.get(len(codes), ()))

    def mended(self, winners: Codes, scores: Floats) -> tuple[Codes, Bools]:
        """(k, n) voted texts of one length with (k, n, 36) their scores, to (texts as the templates let them be, is there one?).

        A text that fits a template stays. Else, of the templates that confusable symbols lead to, the one with the fewest
        changes wins, of equals the first; a changed position takes the symbol with the best score, of equals the first in the
        alphabet. A text that none is possible for stays.
        """
        k, n = winners.shape
        held = self.by_length.get(n, [])
        texts, possible = winners.copy(), np.zeros(k, dtype=np.bool_)
        fewest = np.full(k, n + 1)
        alike = CONFUSABLE[winners]  # (k, n, 36)
        places = np.arange(n)
        for fits in held:
            misfit = ~fits[places, winners]
            allowed = np.where(fits[None] & alike, scores, -np.inf)
            best = allowed.max(axis=2)
            taken = np.argmax(allowed >= best[..., None] - 1e-9, axis=2)
            leads = np.where(misfit, np.isfinite(best), True).all(axis=1)
            changes = misfit.sum(axis=1)
            better = leads & (changes < fewest)
            texts[better] = np.where(misfit, taken, winners)[better]
            fewest[better], possible[better] = changes[better], True
        return texts, possible
