"""Gates of a tracker: which detections may be a target's own."""

from __future__ import annotations

from scipy.special import gammaincinv

from lantern.core.faults import Fault, Refused

GATE_DOF = 2  # a place in the plane


def gate_of(percent: float) -> float:
    """Return the greatest squared distance of that share of a target's own detections (G19)."""
    return 2 * float(
        gammaincinv(GATE_DOF / 2, percent / 100)
    )  # the quantile of chi-squared; scipy.stats takes 0.6 s to load


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
