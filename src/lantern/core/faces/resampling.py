"""How sure error rates are of other people than those on the take: a bootstrap over whose faces were seen and over the candidates.

Comparisons of one person hang together, and so do those with one candidate: drawing single comparisons would promise too much. Each
resample gives every probe subject and every candidate a weight, how often it was drawn; a comparison counts with the product of both.
Source: A. B. Owen, The pigeonhole bootstrap, Annals of Applied Statistics 1 (2007), from memory.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix

from lantern.core.faces.looks import Looks
from lantern.core.faces.scores import SUBJECT
from lantern.core.signals import Floats
from lantern.core.watching import Indices

RESAMPLES, SEED = 200, 20_240_229
AT_ONCE = 60_000  # rows of the product that are held at once
Single = NDArray[np.float32]


class Band(NamedTuple):
    """(k,) each: between these lies the share at each threshold, 95 % of the resamples."""

    low: Floats
    high: Floats


def drawn(count: int, resamples: int, rng: np.random.Generator) -> Single:
    """(count, resamples): how often each of so many is drawn, each resample drawing so many."""
    out: Single = rng.multinomial(count, np.full(count, 1 / count), size=resamples).T.astype(np.float32)
    return np.ascontiguousarray(out)


def counted(
    score: Floats, subject: Indices, candidate: Indices, thresholds: Floats, *, resamples: int = RESAMPLES
) -> tuple[Floats, Floats]:
    """Return the weights of scores by place between thresholds, (k + 1, resamples), and of all of them, (resamples,).

    `score`, `subject`, `candidate` (n,): of comparisons, the latter two as numbers from 0. Row 0: below the first of the
    (k,) rising `thresholds`; row i: from threshold i - 1 up to the next.
    """
    rng = np.random.default_rng(SEED)
    subjects, candidates = int(subject.max(initial=-1)) + 1, int(candidate.max(initial=-1)) + 1
    by_subject, by_candidate = drawn(subjects, resamples, rng), drawn(candidates, resamples, rng)
    place = np.searchsorted(thresholds, score, side="right")
    cell = place.astype(np.int64) * subjects + subject
    whole = csr_matrix(
        (np.ones(score.size, dtype=np.float32), (cell, candidate)),
        shape=((thresholds.size + 1) * subjects, candidates),
    )
    out = np.zeros((thresholds.size + 1, resamples))
    used = np.flatnonzero(np.diff(whole.indptr))
    for first in range(0, used.size, AT_ONCE):
        rows = used[first : first + AT_ONCE]
        weight = (whole[rows] @ by_candidate) * by_subject[rows % subjects]
        places = rows // subjects
        starts = np.flatnonzero(np.diff(places, prepend=-1))
        out[places[starts]] += np.add.reduceat(weight, starts, axis=0)
    return out, out.sum(axis=0)


def band(looks: Looks, kind: int, thresholds: Floats, *, errors_above: bool, resamples: int = RESAMPLES) -> Band | None:
    """Return the interval of FMR (`errors_above`) or FNMR at each of the (k,) rising thresholds, from the rows of a take whose `mated`
    is `kind`. None where they are too few to draw from: of fewer than two people.
    """
    rows = np.flatnonzero(looks.mated == kind)
    column = looks.groups.get(SUBJECT, looks.candidate)
    subject = np.unique(column.code[rows], return_inverse=True)[1]
    candidate = np.unique(looks.candidate.code[rows], return_inverse=True)[1]
    if rows.size == 0 or subject.max() < 1:
        return None
    weights, whole = counted(looks.score[rows], subject, candidate, thresholds, resamples=resamples)
    below = np.cumsum(weights[:-1], axis=0)
    errors = whole - below if errors_above else below
    drawn_any = whole > 0
    shares = errors[:, drawn_any] / whole[drawn_any]
    low, high = np.quantile(shares, [0.025, 0.975], axis=1)
    return Band(low, high)
