"""Stays in a zone: when an object counts as come in, and when as gone. Over whole takes, and a sample at a time.

It has come in once it was inside, without a sample outside, for `enter_after_s`; the stay is said to begin at the first of
those samples. It has gone once it was outside for `leave_after_s`; the stay ends at the last sample inside, and shorter
pauses are bridged. With both 0, as they are unless set, a stay is a plain run of samples inside.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from lantern.core.objects.dials import ZoneDials
from lantern.core.rule import TIME_TOLERANCE_S
from lantern.core.tracks import Tracks
from lantern.core.watching import Bools, Indices


@dataclass(frozen=True, slots=True)
class Stay:
    """A stay by its samples: the first one inside, the one at which that counts, the last one inside, and the one at
    which it has gone.

    `gone` is None where the object is lost before that; `end` is then its last sample at all. `born`: first seen inside.
    """

    first: int
    come: int
    last: int
    gone: int | None
    end: int
    born: bool


def stays(tracks: Tracks, within: Bools, starts: Indices, dials: ZoneDials) -> Iterator[Stay]:
    """Yield the stays in the order of the samples. `within` (n,): is the sample inside? `starts` (n,): the first of its
    stretch.
    """
    n = within.size
    if n == 0 or not within.any():
        return
    begins_stretch = starts == np.arange(n)
    joined = np.concatenate(([False], within[:-1])) & ~begins_stretch  # to a sample inside just before
    first = np.flatnonzero(within & ~joined)
    last = np.flatnonzero(within & ~np.append(joined[1:] & within[1:], False))
    ends = np.append(np.flatnonzero(begins_stretch)[1:], n) - 1
    end = ends[np.searchsorted(ends, first)]
    come = _since(tracks, first, dials.enter_after_s)
    gone = _since(tracks, last, dials.leave_after_s, beyond=1)
    open_: Stay | None = None
    rows = zip(*(column.tolist() for column in (first, last, end, come, gone)), strict=True)
    for at, until, ends_at, counts, left in rows:
        leaves = left if left <= ends_at else None
        if open_ is not None and open_.gone is not None and open_.gone < at:
            yield open_
            open_ = None
        if open_ is not None and open_.end == ends_at:  # back before it counted as gone
            open_ = Stay(open_.first, open_.come, until, leaves, ends_at, open_.born)
        else:
            if open_ is not None:
                yield open_
            entered = counts <= until
            open_ = Stay(at, counts, until, leaves, ends_at, bool(begins_stretch[at])) if entered else None
    if open_ is not None:
        yield open_


def _since(tracks: Tracks, samples: Indices, after_s: float, beyond: int = 0) -> Indices:
    """Return for each sample the first one, `beyond` it at least, that is no less than `after_s` later. Times rise
    within an object only.
    """
    spans, t_s = tracks.spans, tracks.t_s
    if after_s == 0:
        return samples + beyond
    out = np.empty_like(samples)
    for k, (i, stop) in enumerate(zip(samples.tolist(), spans[tracks.object[samples] + 1].tolist(), strict=True)):
        out[k] = i + max(beyond, int(np.searchsorted(t_s[i:stop], t_s[i] + after_s - TIME_TOLERANCE_S)))
    return out


# ---- a sample at a time ----------------------------------------------------------------------------------------------


@dataclass
class Staying:
    """The state of one object in one zone."""

    run_s: float | None = None  # since when it is inside without a sample outside
    run_born: bool = False
    since_s: float | None = None  # when the stay that counts began
    born: bool = False
    last_s: float = 0.0  # inside

    def take(self, t: float, *, within: bool, fresh: bool, dials: ZoneDials) -> str | None:
        """`come` or `gone` where that counts from this sample on. `fresh`: the object's first sample."""
        if not within:
            self.run_s = None
            if self.since_s is not None and t - self.last_s >= dials.leave_after_s - TIME_TOLERANCE_S:
                self.since_s = None
                return "gone"
            return None
        if self.run_s is None:
            self.run_s, self.run_born = t, fresh
        self.last_s = t
        if self.since_s is None and t - self.run_s >= dials.enter_after_s - TIME_TOLERANCE_S:
            self.since_s, self.born = self.run_s, self.run_born
            return "come"
        return None
