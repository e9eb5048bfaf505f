"""What each passage was known to be after each of its accepted reads: the one table from which everything is decided."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from lantern.core.plates.approach import Approach, Ways
from lantern.core.plates.attachment import Attachment, Seen
from lantern.core.plates.ballots import Ballots
from lantern.core.plates.dials import PlateDials
from lantern.core.plates.keys import texts_of
from lantern.core.plates.passages import Passages, keyed
from lantern.core.plates.reads import Reads
from lantern.core.plates.reliability import tempered
from lantern.core.plates.syntax import Syntax
from lantern.core.signals import Floats
from lantern.core.watching import Bools, Indices


@dataclass(frozen=True)
class History:
    """m accepted reads, by passage and then by time. `read` (m,) which read of the take, `passage` (m,), `count` (m,) how many were
    accepted so far; `text`, `confidence`, `syntax` of the vote so far; `seen` whether it goes with a vehicle, `way` which way that goes; `since_s` (m,) since
    the passage's first accepted read.
    """

    read: Indices
    passage: Indices
    count: Indices
    t_s: Floats
    text: tuple[str, ...]
    confidence: Floats
    syntax: NDArray[np.int8]
    seen: Seen
    way: Ways
    since_s: Floats

    def __len__(self) -> int:
        return int(self.read.size)

    @cached_property
    def last(self) -> dict[int, int]:
        """Return by passage the row of its last accepted read."""
        return dict(zip(self.passage.tolist(), range(len(self)), strict=True))


def history_of(reads: Reads, own: Sequence[Indices], dials: PlateDials) -> History:
    """Return the history of passages of which `own` are the accepted reads, in order of time."""
    p = len(own)
    counts = np.array([each.size for each in own], dtype=np.intp)
    begins = np.concatenate(([0], np.cumsum(counts)[:-1])).astype(np.intp) if p else np.zeros(0, dtype=np.intp)
    by_key = keyed(reads)
    m, longest = int(counts.sum()), max(by_key.longest, 1)
    read = np.concatenate(own).astype(np.intp) if p else np.zeros(0, dtype=np.intp)
    codes, length = np.zeros((m, longest), dtype=np.int8), np.zeros(m, dtype=np.int8)
    confidence, syntax = np.zeros(m), np.zeros(m, dtype=np.int8)
    known, wander = np.zeros(m, dtype=np.int8), np.full(m, np.nan)
    way = np.zeros(m, dtype=np.int8)
    ballots, attachment, forms = Ballots(p, longest), Attachment(p), Syntax(dials.syntaxes)
    approach = Approach(p)
    for j in range(int(counts.max(initial=0))):
        which = np.flatnonzero(counts > j)
        rows = begins[which] + j
        at = read[rows]
        ballots.add(which, by_key.codes[at], by_key.length[at], as_sure(by_key.sure[at], dials))
        attachment.add(which, reads.plate[at], reads.car[at])
        approach.add(which, reads.t_s[at], reads.plate[at, 3])
        way[rows] = approach.ways(which)
        leading, seen = ballots.leaders(which, dials.tempering, forms), attachment.seen(which)
        codes[rows], length[rows], confidence[rows] = leading.codes, leading.length, leading.confidence
        syntax[rows], known[rows], wander[rows] = leading.syntax, seen.known, seen.wander
    passage = np.repeat(np.arange(p), counts)
    t_s = reads.t_s[read] if m else np.zeros(0)
    return History(
        read,
        passage,
        np.arange(m) - begins[passage] + 1 if m else np.zeros(0, dtype=np.intp),
        t_s,
        tuple(texts_of(codes, length)),
        confidence,
        syntax,
        Seen(known, wander),
        way,
        t_s - t_s[begins[passage]] if m else np.zeros(0),
    )


def as_sure(q: Floats, dials: PlateDials) -> Floats:
    """Return how sure characters are taken to be."""
    return q if dials.calibration == 1 else tempered(q, dials.calibration)


def own_reads(passages: Passages, counts: Bools) -> list[Indices]:
    """Return the accepted reads of each passage."""
    return [each[counts[each]] for each in passages.reads]
