"""One frame fitted to another by pairs: on the plane (turned, shifted, scaled), on the sphere (turned), and from a picture to the ground.

Each fit says where a point of the first frame lies in the second; none is ever a mirror image. Umeyama, IEEE PAMI 13 (1991), and
Hartley's normalised DLT, IEEE PAMI 19 (1997), from memory.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations
from typing import Any, Protocol

import numpy as np

from lantern.core.faults import Fault, Refused
from lantern.core.signals import Floats

FLAT = 1e-9  # of the spread: points in a line, directions that are parallel


class Fit(Protocol):
    """Where points of the first frame lie in the second."""

    def residuals(self, first: Floats, second: Floats) -> Floats:
        """(n,): how far each pair misses, m or degrees."""

    @property
    def parameters(self) -> dict[str, Any]:
        """Return what was found, by name (JSON)."""


@dataclass(frozen=True)
class Plane:
    """second = scale * turned first + shift."""

    turn: Floats  # (2, 2)
    scale: float
    shift_m: Floats  # (2,)

    def residuals(self, first: Floats, second: Floats) -> Floats:
        out: Floats = np.linalg.norm(self.scale * first @ self.turn.T + self.shift_m - second, axis=1)
        return out

    @property
    def parameters(self) -> dict[str, Any]:
        turned = float(np.degrees(np.arctan2(self.turn[1, 0], self.turn[0, 0])))
        return {"rotation_deg": turned, "scale": self.scale, "shift_m": self.shift_m.tolist()}


@dataclass(frozen=True)
class Turned:
    """second = matrix * first, of directions as vectors of length 1."""

    matrix: Floats  # (3, 3)

    def residuals(self, first: Floats, second: Floats) -> Floats:
        """Angles between the directions; by the chord, which is exact for small ones."""
        chord = np.linalg.norm(first @ self.matrix.T - second, axis=1)
        out: Floats = np.degrees(2 * np.arcsin(np.clip(chord / 2, 0, 1)))
        return out

    @property
    def parameters(self) -> dict[str, Any]:
        return {"matrix": self.matrix.tolist()}


@dataclass(frozen=True)
class Ground:
    """From pixels to the plan by a homography whose last element is 1."""

    matrix: Floats  # (3, 3)

    def residuals(self, first: Floats, second: Floats) -> Floats:
        lifted = np.column_stack((first, np.ones(len(first)))) @ self.matrix.T
        out: Floats = np.linalg.norm(lifted[:, :2] / lifted[:, 2:] - second, axis=1)
        return out

    @property
    def parameters(self) -> dict[str, Any]:
        return {"matrix": self.matrix.tolist()}


# ---- fitted ----------------------------------------------------------------------------------------------------------


def rigid(first: Floats, second: Floats, *, mirrored: bool = False) -> Plane:
    return _plane(first, second, scaled=False, mirrored=mirrored)


def similarity(first: Floats, second: Floats, *, mirrored: bool = False) -> Plane:
    return _plane(first, second, scaled=True, mirrored=mirrored)


def _plane(first: Floats, second: Floats, *, scaled: bool, mirrored: bool) -> Plane:
    """(n, 2) each. `mirrored`: the best of the mirror images instead."""
    middle, other = first.mean(axis=0), second.mean(axis=0)
    x, y = first - middle, second - other
    u, s, vt = np.linalg.svd(y.T @ x / len(x))
    side = np.sign(np.linalg.det(u) * np.linalg.det(vt)) or 1.0
    kept = np.array([1.0, -side if mirrored else side])
    turn = u @ np.diag(kept) @ vt
    variance = float((x**2).sum() / len(x))
    scale = float((s * kept).sum() / variance) if scaled else 1.0
    return Plane(turn, scale, other - scale * turn @ middle)


def rotation(first: Floats, second: Floats, *, mirrored: bool = False) -> Turned:
    """(n, 3) each, of length 1."""
    u, _, vt = np.linalg.svd(second.T @ first)
    side = np.sign(np.linalg.det(u) * np.linalg.det(vt)) or 1.0
    return Turned(u @ np.diag([1.0, 1.0, -side if mirrored else side]) @ vt)


def ground(first: Floats, second: Floats, *, mirrored: bool = False) -> Ground:
    """(n, 2) pixels and metres; by the direct linear transform, each side about its middle at a mean distance of sqrt 2. A homography has
    no mirror image of its own.
    """
    a, b = _normal(first), _normal(second)
    u, v = _moved(a, first).T
    x, y = _moved(b, second).T
    one, none = np.ones_like(u), np.zeros_like(u)
    rows = np.concatenate(
        (
            np.column_stack((-u, -v, -one, none, none, none, x * u, x * v, x)),
            np.column_stack((none, none, none, -u, -v, -one, y * u, y * v, y)),
        )
    )
    matrix = np.linalg.inv(b) @ np.linalg.svd(rows)[2][-1].reshape(3, 3) @ a
    if abs(matrix[2, 2]) < FLAT * np.abs(matrix).max():
        raise Refused([Fault("pairs", "put the picture's corner beyond the horizon", "pairs nearer to the camera")])
    return Ground(matrix / matrix[2, 2])


def _normal(points: Floats) -> Floats:
    middle = points.mean(axis=0)
    size = np.sqrt(2) / np.linalg.norm(points - middle, axis=1).mean()
    return np.array([[size, 0, -size * middle[0]], [0, size, -size * middle[1]], [0, 0, 1]])


def _moved(by: Floats, points: Floats) -> Floats:
    out: Floats = points @ by[:2, :2].T + by[:2, 2]
    return out


# ---- what can be fitted ----------------------------------------------------------------------------------------------


def in_a_line(points: Floats) -> bool:
    """Return whether all points of a plane lie in a line."""
    s = np.linalg.svd(points - points.mean(axis=0), compute_uv=False)
    return bool(len(points) < 3 or s[1] <= FLAT * s[0])


def parallel(directions: Floats) -> bool:
    """Return whether all directions are parallel, or opposite."""
    s = np.linalg.svd(directions, compute_uv=False)
    return bool(len(directions) < 2 or s[1] <= FLAT * s[0])


def has_a_frame(points: Floats) -> bool:
    """Return whether four of the points have no three in a line."""
    if in_a_line(points):
        return False
    return any(not _three_in_a_line(points[list(four)]) for four in combinations(range(len(points)), 4))


def _three_in_a_line(four: Floats) -> bool:
    spread = float(np.linalg.norm(four - four.mean(axis=0))) ** 2
    for a, b, c in combinations(four, 3):
        area = abs((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]))
        if area <= 1e-9 * spread:
            return True
    return False
