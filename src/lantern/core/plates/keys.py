"""A plate's text as it is compared: its key, the alphabet, and which symbols are taken for one another."""

from __future__ import annotations

import unicodedata
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from lantern.core.watching import Bools

ALPHABET = "ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789"
LETTERS = ALPHABET[:26]
DIGITS = ALPHABET[26:]
# Symbols of one group look alike; common practice, no source.
GROUPS = ("0ODQ", "1ILT7", "8B", "5S", "2Z7", "6GC", "MNHW", "UV", "VY", "EF", "PR", "KX", "4A")
FOLDED = str.maketrans({"Ä": "A", "Ö": "O", "Ü": "U", "ß": "SS", "ẞ": "SS"})

Codes = NDArray[np.int8]  # places in the alphabet
_PLACE = {symbol: place for place, symbol in enumerate(ALPHABET)}
_BYTES = np.frombuffer(ALPHABET.encode(), dtype="S1")


@lru_cache(maxsize=100_000)
def key_of(text: str) -> str:
    """Return the key: NFKC, upper case, umlauts folded, then only A to Z and 0 to 9."""
    folded = unicodedata.normalize("NFKC", text).upper().translate(FOLDED)
    return "".join(symbol for symbol in folded if symbol in _PLACE)


def codes_of(key: str) -> list[int]:
    """Return the places of a key's symbols in the alphabet."""
    return [_PLACE[symbol] for symbol in key]


def texts_of(codes: Codes, length: NDArray[np.int8]) -> list[str]:
    """Return (n, longest) codes, of which row i holds `length[i]`, as n texts."""
    if codes.shape[0] == 0 or codes.shape[1] == 0:
        return [""] * codes.shape[0]
    rows = np.ascontiguousarray(_BYTES[codes]).view(f"S{codes.shape[1]}").ravel().tolist()
    return [row[:n].decode() for row, n in zip(rows, length.tolist(), strict=True)]


def _confusable() -> Bools:
    alike = np.zeros((len(ALPHABET), len(ALPHABET)), dtype=np.bool_)
    for group in GROUPS:
        places = codes_of(group)
        alike[np.ix_(places, places)] = True
    np.fill_diagonal(alike, False)
    return alike


CONFUSABLE = _confusable()  # (36, 36): does one group hold both?


def _families() -> list[int]:
    """Return for each symbol the least one that a chain of confusable pairs leads to."""
    family = list(range(len(ALPHABET)))
    for group in GROUPS:
        joined = {family[place] for place in codes_of(group)}
        family = [min(joined) if each in joined else each for each in family]
    return family


FAMILY_OF = {symbol: ALPHABET[family] for symbol, family in zip(ALPHABET, _families(), strict=True)}


def outline_of(key: str) -> str:
    """Return the key with each symbol as its family: keys that differ by confusable symbols alone have one outline."""
    return "".join(FAMILY_OF[symbol] for symbol in key)
