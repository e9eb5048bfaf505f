"""How soon a control chart would notice a drift that a plain test on each reading sees late: average run lengths.

EWMA: z = λ x + (1 - λ) z, standard deviation σ sqrt(λ / (2 - λ)), limits L of these. One-sided CUSUM: S = max(0, S + x - k), limit h.
In units of σ, independent normal readings. Run lengths by the integral equation L(u) = 1 + ∫ L(v) f(v | u) dv on
Gauss-Legendre nodes. Source: S. V. Crowder, Technometrics 29 (1987); A. L. Goel and S. M. Wu, Technometrics 13 (1971); from memory.
"""

from __future__ import annotations

import math
from dataclasses import asdict, dataclass

import numpy as np
from scipy.special import ndtr

from lantern.core.signals import Floats

NODES = 80
EWMA_WEIGHT, EWMA_LIMIT = 0.2, 2.962
CUSUM_SLACK, CUSUM_LIMIT = 0.5, 5.0
PLAIN_LIMIT = 3.0


def _density(z: Floats) -> Floats:
    """Return the density of the standard normal distribution. Written out: the library's takes a second to import."""
    return np.asarray(np.exp(-z * z / 2) / math.sqrt(2 * math.pi))


def ewma_deviation(weight: float, sigma: float = 1.0) -> float:
    """Return the deviation of the smoothed reading, once it has run for long."""
    return sigma * math.sqrt(weight / (2 - weight))


def plain_run(limit: float = PLAIN_LIMIT, shift: float = 0.0) -> float:
    """Readings until one lies beyond plus or minus the limit, on average."""
    beyond = ndtr(-(limit - shift)) + ndtr(-(limit + shift))
    return float(1 / beyond)


def ewma_run(weight: float = EWMA_WEIGHT, limit: float = EWMA_LIMIT, shift: float = 0.0) -> float:
    """Readings until a two-sided chart that begins at 0 signals, on average."""
    reach = limit * ewma_deviation(weight)
    nodes, weights = np.polynomial.legendre.leggauss(NODES)
    v, w = nodes * reach, weights * reach

    def kernel(u: float) -> np.ndarray:
        return np.asarray(w * _density((v - (1 - weight) * u) / weight - shift) / weight)

    lengths = np.linalg.solve(np.eye(NODES) - np.stack([kernel(u) for u in v.tolist()]), np.ones(NODES))
    return float(1 + kernel(0.0) @ lengths)


def cusum_run(slack: float = CUSUM_SLACK, limit: float = CUSUM_LIMIT, shift: float = 0.0) -> float:
    """Readings until a one-sided chart that begins at 0 signals, on average; it rests at 0 with a probability of its own."""
    nodes, weights = np.polynomial.legendre.leggauss(NODES)
    v, w = (nodes + 1) * limit / 2, weights * limit / 2
    starts = np.concatenate(([0.0], v))
    kernel = w * _density(v[None, :] - starts[:, None] + slack - shift)
    rests = ndtr(slack - shift - starts)
    system = np.eye(NODES + 1) - np.column_stack((rests, kernel))
    return float(np.linalg.solve(system, np.ones(NODES + 1))[0])


@dataclass(frozen=True, slots=True)
class Drift:
    """Readings until a drift of so many standard deviations is noticed, and between two false signals, by each way."""

    shift: float
    plain: tuple[float, float]
    ewma: tuple[float, float]
    cusum: tuple[float, float]

    def as_dict(self) -> dict[str, object]:
        return asdict(self)


def drift_noticed(shift: float = 1.0) -> Drift:
    """(until noticed, between false ones) for a plain test at 3 σ and for both charts at their usual settings."""
    return Drift(
        shift,
        (plain_run(shift=shift), plain_run()),
        (ewma_run(shift=shift), ewma_run()),
        (cusum_run(shift=shift), cusum_run()),
    )
