"""Gains of an alpha-beta filter against the steady Kalman filter that they stand for."""

from __future__ import annotations

import numpy as np
import pytest
from filterpy.common import Q_discrete_white_noise
from filterpy.kalman import KalmanFilter
from scipy.linalg import solve_discrete_are

from lantern.core.smoothing import kalata


@pytest.mark.parametrize(("t_s", "acceleration", "spread"), [(0.1, 1.0, 0.3), (0.5, 2.0, 0.5), (1.0, 0.3, 1.0)])
def test_the_gains_are_those_of_the_steady_kalman_filter(t_s: float, acceleration: float, spread: float) -> None:
    """Places measured every T, a random acceleration that is constant over each T: scipy's Riccati equation gives the gains."""
    move, seen = np.array([[1.0, t_s], [0.0, 1.0]]), np.array([[1.0, 0.0]])
    pushed = np.array([[t_s * t_s / 2], [t_s]])
    foretold = solve_discrete_are(move.T, seen.T, acceleration**2 * pushed @ pushed.T, np.array([[spread**2]]))
    gain = (foretold @ seen.T / (seen @ foretold @ seen.T + spread**2)).ravel()
    found = kalata(acceleration * t_s * t_s / spread)
    assert found.alpha == pytest.approx(gain[0], rel=1e-6)
    assert found.beta == pytest.approx(gain[1] * t_s, rel=1e-6)


@pytest.mark.parametrize("index", [0.03, 0.5, 4.0])
def test_the_gains_are_those_that_another_librarys_filter_settles_at(index: float) -> None:
    """filterpy's Kalman filter, run until its gain changes no more; a step of 1 s, places of variance 1."""
    settled = KalmanFilter(dim_x=2, dim_z=1)
    settled.F, settled.H = np.array([[1.0, 1.0], [0.0, 1.0]]), np.array([[1.0, 0.0]])
    settled.R, settled.Q = np.eye(1), Q_discrete_white_noise(2, dt=1.0, var=index**2)
    for _ in range(2000):
        settled.predict()
        settled.update(0.0)
    found = kalata(index)
    assert settled.K.ravel().tolist() == pytest.approx([found.alpha, found.beta], rel=1e-6)
