"""Do counts and hand counts speak of the same thing? Clocks that run apart, and directions that are taken the wrong way round.

Both would look like a bad detector, and are none. They are said only where the evidence is clear: where the 95 % intervals
of what is caught, as it stands and set right, do not touch.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lantern.core.counted import HandCount
from lantern.core.scoring.intervals import wilson
from lantern.core.signals import Floats

Passage = tuple[float, str]  # (s, "in" or "out")

MATCH_S = 5.0  # a passage counts wherever in the picture the line lies; common practice, no source
WITHIN_S = 1.0  # a hand on a key is so late at most; common practice, no source
MOST_APART_S = 120.0
SLIGHT_S = 2.0  # clocks so near each other are one; common practice, no source


def offset_s(counted: Sequence[Passage], by_hand: Sequence[Passage]) -> float | None:
    """Return how much later the device's clock shows the passages, in s, where that explains what is missed; None: it
    does not.

    Both directions must say the same: a line that lies further on is reached later by those who come, and earlier by those
    who go. With traffic one way only the two cannot be told apart, and nothing is said.
    """
    into, out = (_shift(_of(counted, way), _of(by_hand, way)) for way in ("in", "out"))
    if into is None or out is None or abs(into - out) > 2 * WITHIN_S:
        return None
    return (into + out) / 2


def _shift(counted: Floats, by_hand: Floats) -> float | None:
    """The best cross-match of one direction: the shift, up to two minutes, at which most passages find their like."""
    apart = np.sort((counted[:, None] - by_hand[None, :]).ravel())
    apart = apart[np.abs(apart) <= MOST_APART_S]
    if apart.size == 0:
        return None
    reach = np.searchsorted(apart, apart + 2 * WITHIN_S, side="right")
    first = int((reach - np.arange(apart.size)).argmax())
    best = float(np.median(apart[first : reach[first]]))
    now, then = (matched(counted - shift, by_hand) for shift in (0.0, best))
    return best if abs(best) > SLIGHT_S and _clearly_more(then, now, by_hand.size) else None


def matched(counted: Floats, by_hand: Floats, within_s: float = WITHIN_S) -> int:
    """Return how many find their like so near, each one only once; both in order of time."""
    found, k = 0, 0
    for t in by_hand.tolist():
        while k < counted.size and counted[k] < t - within_s:
            k += 1
        if k < counted.size and counted[k] <= t + within_s:
            found, k = found + 1, k + 1
    return found


def is_reversed(counted: Sequence[tuple[int, int]], by_hand: Sequence[HandCount]) -> bool:
    """`counted`: (in, out) of each interval. Would clearly more be caught if in were out?"""
    now = sum(min(i, each.into) + min(o, each.out) for (i, o), each in zip(counted, by_hand, strict=True))
    then = sum(min(o, each.into) + min(i, each.out) for (i, o), each in zip(counted, by_hand, strict=True))
    return _clearly_more(then, now, sum(each.into + each.out for each in by_hand))


def _of(passages: Sequence[Passage], way: str) -> Floats:
    return np.sort(np.array([t for t, direction in passages if direction == way], dtype=np.float64))


def _clearly_more(then: int, now: int, total: int) -> bool:
    better, worse = wilson(then, total), wilson(now, total)
    return better is not None and worse is not None and better[0] > worse[1]
