"""Gains and gates of a tracker: by what share a target follows a detection, and which detections may be its own."""

from __future__ import annotations

import math
from typing import NamedTuple

from scipy.stats import chi2

from lantern.core.faults import Fault, Refused

GATE_DOF = 2  # a place in the plane


class Gains(NamedTuple):
    """Shares of what was missed that correct a place, and a speed (times the interval)."""

    alpha: float
    beta: float


def kalata(index: float) -> Gains:
    """Return the steady gains for a tracking index, acceleration times the interval squared over the spread of a place (Kalata 1984, from
    memory; H09).
    """
    r = (4 + index - math.sqrt(8 * index + index * index)) / 4
    alpha = 1 - r * r
    return Gains(alpha, 2 * (2 - alpha) - 4 * math.sqrt(1 - alpha))


def gate_of(percent: float) -> float:
    """Return the greatest squared distance of that share of a target's own detections (G19)."""
    return float(chi2.ppf(percent / 100, GATE_DOF))


def squared_distance(miss: tuple[float, float], covariance: tuple[tuple[float, float], tuple[float, float]]) -> float:
    """Return how far a detection missed a track, squared, in spreads of that miss: a gate compares it (G20)."""
    (x, y), ((xx, xy), (_, yy)) = miss, covariance
    return (yy * x * x - 2 * xy * x * y + xx * y * y) / (xx * yy - xy * xy)


def cfar_factor(cells: int, false_alarm: float) -> float:
    """Return by how many times the mean of so many cells of noise a cell must be exceeded, to be a false alarm with that probability
    (cell-averaging CFAR in noise of exponential power; G16).
    """
    if cells < 1 or not 0 < false_alarm < 1:
        raise Refused(
            [Fault("noise", f"{cells} cells, probability {false_alarm:g}", "a cell at least, and a probability")]
        )
    return cells * float(false_alarm ** (-1 / cells) - 1)
