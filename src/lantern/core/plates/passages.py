"""Reads as the family of plates works on them: their keys, and the passages that they fall into."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from lantern.core.plates.keys import codes_of, key_of
from lantern.core.plates.reads import Reads
from lantern.core.rule import TIME_TOLERANCE_S
from lantern.core.signals import Floats
from lantern.core.watching import Indices


@dataclass(frozen=True)
class Keyed:
    """n reads by the symbols of their keys."""

    reads: Reads

    @cached_property
    def keys(self) -> tuple[str, ...]:
        return tuple(key_of(text) for text in self.reads.text)

    @cached_property
    def length(self) -> NDArray[np.int8]:
        """(n,) characters of each."""
        return np.array([len(key) for key in self.keys], dtype=np.int8)

    @cached_property
    def codes(self) -> NDArray[np.int8]:
        """(n, longest) places of each key's symbols in the alphabet."""
        out = np.zeros((len(self.keys), self.longest), dtype=np.int8)
        for row, key in enumerate(self.keys):
            out[row, : len(key)] = codes_of(key)
        return out

    @property
    def longest(self) -> int:
        return int(self.length.max()) if len(self.keys) else 0

    @cached_property
    def sure(self) -> Floats:
        """(n, longest) how sure each character is: its own confidence, or what the read's comes to a character."""
        out = np.ones((len(self.keys), self.longest))
        for row, (given, n, whole) in enumerate(
            zip(self.reads.chars, self.length.tolist(), self.reads.confidence, strict=True)
        ):
            if n:
                out[row, :n] = given if len(given) == n else float(whole) ** (1 / n)
        return out


def keyed(reads: Reads) -> Keyed:
    """Return the reads by their keys, worked out once."""
    return reads.remember("keyed", lambda: Keyed(reads))


def passages_of(reads: Reads, gap_s: float) -> Passages:
    """Return the passages: all reads of one vehicle with no pause longer than `gap_s`."""
    return reads.remember(("passages", gap_s), lambda: _passages(reads, gap_s))


@dataclass(frozen=True)
class Passages:
    """p passages in order of their first read. `of` (n,) which one each read belongs to, `reads` its reads in order of time, by passage."""

    of: Indices
    first_s: Floats
    last_s: Floats
    vehicle: tuple[str, ...]
    reads: tuple[Indices, ...]

    def __len__(self) -> int:
        return len(self.reads)


def _passages(reads: Reads, gap_s: float) -> Passages:
    going: dict[str, tuple[int, float]] = {}  # vehicle: (passage, its last read)
    members: list[list[int]] = []
    of = np.zeros(len(reads), dtype=np.intp)
    for at, (t, vehicle) in enumerate(zip(reads.t_s.tolist(), reads.vehicle, strict=True)):
        known = going.get(vehicle)
        if known is None or t - known[1] > gap_s + TIME_TOLERANCE_S:
            number = len(members)
            members.append([])
        else:
            number = known[0]
        members[number].append(at)
        of[at] = number
        going[vehicle] = (number, t)
    own = tuple(np.array(each, dtype=np.intp) for each in members)
    return Passages(
        of,
        np.array([reads.t_s[each[0]] for each in own]),
        np.array([reads.t_s[each[-1]] for each in own]),
        tuple(reads.vehicle[each[0]] for each in own),
        own,
    )
