"""The vote over the reads of many passages at once, read by read: the same for a take and for one vehicle that is live.

Of the reads so far those of the most frequent length vote. A read gives the symbol it has q, and the other 35 share 1 - q;
what all symbols of a position get alike does not matter, so a vote keeps log q - log((1 - q) / 35) of the symbols that were read.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lantern.core.plates.keys import ALPHABET, Codes
from lantern.core.plates.syntax import Syntax
from lantern.core.signals import Floats
from lantern.core.watching import Bools, Indices

SURE_LOW, SURE_HIGH = 0.001, 0.999  # what a character's confidence is clipped to
EQUAL = 1e-9  # scores nearer than this are equal


def gains(q: Floats) -> Floats:
    """Return what a symbol gets for being read with confidence `q`, over those that were not."""
    clipped = np.clip(q, SURE_LOW, SURE_HIGH)
    return np.asarray(np.log(clipped) - np.log((1 - clipped) / (len(ALPHABET) - 1)))


@dataclass(frozen=True)
class Leading:
    """What k passages would be, after the syntax. `codes` (k, longest), of which `length` (k,) count; `confidence` (k,) of the vote;
    `syntax` (k,): 0 fits or nothing was asked, 1 mended, 2 no template fits.
    """

    codes: Codes
    length: NDArray[np.int8]
    confidence: Floats
    syntax: NDArray[np.int8]


class Ballots:
    """The votes of `passages` passages whose keys have at most `longest` characters."""

    def __init__(self, passages: int, longest: int) -> None:
        self.longest = longest
        self._slot = np.full((passages, longest + 1), -1, dtype=np.intp)  # of a passage and a length
        self._leading = np.full(passages, -1, dtype=np.intp)  # the slot of the most frequent length
        self._scores = np.zeros((max(passages, 1), longest, len(ALPHABET)))
        self._reads = np.zeros(max(passages, 1), dtype=np.intp)
        self._length = np.zeros(max(passages, 1), dtype=np.int8)
        self._used = 0

    def add(self, which: Indices, codes: Codes, length: NDArray[np.int8], q: Floats) -> None:
        """One more read for each of k passages, no passage twice: `codes`, `q` (k, longest), `length` (k,)."""
        slot = self._slot[which, length]
        new = np.flatnonzero(slot < 0)
        if new.size:
            slot[new] = self._made(which[new], length[new])
        places = np.arange(self.longest)[None, :]
        mine = places < length[:, None]
        rows = np.broadcast_to(slot[:, None], mine.shape)
        at = (rows[mine], np.broadcast_to(places, mine.shape)[mine], codes[mine])
        self._scores[at] += gains(q)[mine]
        self._reads[slot] += 1
        lead = self._leading[which]
        most, longer = self._reads[slot] - self._reads[lead], self._length[slot] > self._length[lead]
        self._leading[which] = np.where((lead < 0) | (most > 0) | ((most == 0) & longer), slot, lead)

    def _made(self, which: Indices, length: NDArray[np.int8]) -> Indices:
        more = self._used + which.size
        if more > self._reads.size:
            size = max(more, 2 * self._reads.size)
            grown = np.zeros((size, *self._scores.shape[1:]))
            grown[: self._used] = self._scores[: self._used]
            self._scores = grown
            more_slots = size - self._reads.size
            self._reads = np.concatenate((self._reads, np.zeros(more_slots, dtype=np.intp)))
            self._length = np.concatenate((self._length, np.zeros(more_slots, dtype=np.int8)))
        slots = np.arange(self._used, more)
        self._slot[which, length], self._length[slots], self._used = slots, length, more
        return slots

    def scores(self, passage: int) -> tuple[Floats, int]:
        """(length, 36) the scores of one passage's vote, before tempering, and how many reads voted."""
        slot = self._leading[passage]
        return self._scores[slot, : self._length[slot]], int(self._reads[slot])

    def leaders(self, which: Indices, tempering: float, syntax: Syntax) -> Leading:
        """Return what these passages would be by the reads so far; each has had one."""
        slot = self._leading[which]
        length, scores = self._length[slot], self._scores[slot]
        best = scores.max(axis=2)
        winners = np.argmax(scores >= best[..., None] - EQUAL, axis=2).astype(np.int8)
        flag = np.zeros(which.size, dtype=np.int8)
        if syntax.templates:
            for n in np.unique(length).tolist():
                rows = np.flatnonzero(length == n)
                rows = rows[[not syntax.fits(winners[row, :n]) for row in rows.tolist()]]
                if rows.size:
                    texts, possible = syntax.mended(winners[rows, :n], scores[rows, :n])
                    winners[rows, :n] = texts
                    flag[rows] = np.where(possible, 1, 2)
        share = np.exp(tempering * (np.take_along_axis(scores, winners[..., None].astype(np.intp), 2)[..., 0] - best))
        share /= np.exp(tempering * (scores - best[..., None])).sum(axis=2)
        mine: Bools = np.arange(self.longest)[None, :] < length[:, None]
        return Leading(winners, length, np.where(mine, share, 1.0).prod(axis=1), flag)
