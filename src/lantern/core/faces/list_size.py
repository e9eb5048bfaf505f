"""How false alarms grow with the list: measured for lists as large as a take has candidates, by formula beyond."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from scipy.special import gammaln

from lantern.core.faces.looks import MATED, NON_MATED, Looks
from lantern.core.faces.rates import fpir
from lantern.core.signals import Floats
from lantern.core.watching import Bools


@dataclass(frozen=True)
class Growth:
    """`size` (k,) of lists; `share` (k,) of looks of people who are on none that match somebody; `measured` (k,) bool: from the
    take, else extrapolated.
    """

    size: Floats
    share: Floats
    measured: Bools


def strangers(looks: Looks) -> Bools:
    """(n,): looks of which no row is mated and none unknown: their person is not among the candidates."""
    none_mated = np.maximum.reduceat((looks.mated == MATED).astype(np.int8), looks.first[:-1]) == 0
    all_known = np.minimum.reduceat(looks.mated, looks.first[:-1]) >= 0
    out: Bools = none_mated & all_known
    return out


def growth(looks: Looks, threshold: float, sizes: Floats) -> Growth:
    """Return the share of strangers' looks that match somebody on a list of each size, lists drawn at random of the candidates.

    A look that was compared with m candidates, of whom j match, matches nobody of N drawn with the chance C(m - j, N) / C(m, N).
    Beyond the smallest m it is extrapolated from the share of comparisons: 1 - (1 - FMR)^N.
    """
    there = np.flatnonzero(strangers(looks)) if len(looks) else np.zeros(0, dtype=np.intp)
    if not there.size:
        nothing = np.full(sizes.size, np.nan)
        return Growth(sizes, nothing, np.zeros(sizes.size, dtype=np.bool_))
    compared = np.diff(looks.first)[there]
    matches = np.add.reduceat((looks.score >= threshold).astype(np.intp), looks.first[:-1])[there]
    least = int(compared.min())
    rate = float(matches.sum() / compared.sum())
    share = np.empty(sizes.size)
    measured = sizes <= least
    for at, size in enumerate(sizes.tolist()):
        share[at] = _measured(compared, matches, size) if measured[at] else fpir(rate, size)
    return Growth(sizes, share, measured)


def missed(looks: Looks, threshold: float, sizes: Floats) -> Growth:
    """Return the share of looks of somebody on the list that do not name them, by the size of the list, the rest of which is drawn
    at random: their own score is below the threshold, or somebody else's is higher.

    Of m others in a look, j score higher: none of N - 1 drawn does with the chance C(m - j, N - 1) / C(m, N - 1). Beyond the
    smallest m it is extrapolated: each more scores as all scores of two people did.
    """
    seen = looks.remember("members' looks", lambda: _of_members(looks))
    if not seen.own.size:
        return Growth(sizes, np.full(sizes.size, np.nan), np.zeros(sizes.size, dtype=np.bool_))
    others, higher, lower, named = seen.others, seen.higher, seen.lower, seen.own >= threshold
    least = int(others.min()) + 1
    share = np.empty(sizes.size)
    measured = sizes <= least
    for at, size in enumerate(sizes.tolist()):
        alone = _none_drawn(others, higher, size - 1) if measured[at] else lower ** (size - 1)
        share[at] = 1 - float((named * alone).mean())
    return Growth(sizes, share, measured)


class _Members(NamedTuple):
    """Of each look at a member: its `own` score, how many `others` it was held against, how many of them scored `higher`, and which
    share of all scores of two people is `lower` or the same.
    """

    own: Floats
    others: Floats
    higher: Floats
    lower: Floats


def _of_members(looks: Looks) -> _Members:
    rows = np.flatnonzero(looks.mated == MATED)
    if not rows.size:
        return _Members(*(np.zeros(0) for _ in range(4)))
    own, look = looks.score[rows], looks.look[rows]
    best = np.full(len(looks), np.inf)
    best[look] = own
    higher = np.add.reduceat((looks.score > best[looks.look]).astype(np.intp), looks.first[:-1])[look]
    of_two = np.sort(looks.score[looks.mated == NON_MATED])
    lower = np.searchsorted(of_two, own, side="right") / of_two.size if of_two.size else np.ones(own.size)
    return _Members(own, (np.diff(looks.first)[look] - 1).astype(float), higher.astype(float), lower)


def _measured(compared: Floats, matches: Floats, size: float) -> float:
    return float(1 - _none_drawn(compared, matches, size).mean())


def _none_drawn(of: Floats, bad: Floats, size: float) -> Floats:
    """(n,): the chance that none of the `bad` is among `size` drawn of so many."""
    left = of - bad
    can = left >= size
    out = np.zeros(of.size)
    m, j = of[can], left[can]
    out[can] = np.exp(gammaln(j + 1) - gammaln(j - size + 1) - gammaln(m + 1) + gammaln(m - size + 1))
    return out
