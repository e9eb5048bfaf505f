"""A fixed picture beside a head: pairs of a pixel and where the head looked, and by them where the head looks for any other pixel.

A picture taken at the head's own place is a turn away from it (`rotation`; its field is looked for as well, where the pairs tell it). One
from elsewhere sees other directions: what both can speak of is the ground (`ground`).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np
from pydantic import Field
from scipy.optimize import minimize_scalar

from lantern.core.faults import Fault, Refused
from lantern.core.modelled import Strict
from lantern.core.ptz.head import Head
from lantern.core.ptz.pointing import Direction, towards
from lantern.core.registration import fits
from lantern.core.registration.report import directions
from lantern.core.signals import Floats

LEAST = {"rotation": 2, "ground": 4}
LEAST_FOR_FIELD = 4  # of a rotation whose field is looked for too
FIELDS_DEG = (15.0, 140.0)
NARROW_DEG = 10.0  # all at one elevation within so much: weak; common practice, no source
PARALLAX_AT_M = (5.0, 20.0, 100.0)
SURE_SHARE = 1.25  # one registration is better than another if it misses by so much less; common practice, no source


class Pixel(Strict):
    """A pixel of the picture, and where the head looked when it looked at the same, in its own units."""

    u_px: float = Field(ge=-1e5, le=1e5)
    v_px: float = Field(ge=-1e5, le=1e5)
    pan: float = Field(ge=-1e4, le=1e4)
    tilt: float = Field(ge=-1e4, le=1e4)


class SeenBy(Strict):
    """`of`: the code of a camera, or a channel of the head's own device. `size`: of its picture, px."""

    of: str = Field(min_length=1, max_length=80)
    model: Literal["rotation", "ground"]
    size: tuple[int, int]
    pairs: tuple[Pixel, ...] = Field(default=(), max_length=300)


@dataclass(frozen=True)
class Fitted:
    """`onto` (n, 2): where the head looked at each pair, pan and tilt of the site in degrees."""

    seen_by: SeenBy
    head: Head
    onto: Floats

    @property
    def is_known(self) -> bool:
        return len(self.seen_by.pairs) >= LEAST[self.seen_by.model]

    @cached_property
    def pixels(self) -> Floats:
        return np.array([(pair.u_px, pair.v_px) for pair in self.seen_by.pairs], dtype=np.float64).reshape(-1, 2)

    # ---- a turn --------------------------------------------------------------------------------------------------

    @cached_property
    def field_deg(self) -> float:
        """The picture's horizontal field: that by which the turn misses least. Raises `Refused` for too few pairs to tell it."""
        if len(self.pixels) < LEAST_FOR_FIELD:
            what = f"{len(self.pixels)} pairs tell the turn, and not the field of the picture"
            raise Refused([Fault("pairs", what, f"{LEAST_FOR_FIELD} at least, to both sides")])

        def misses(field_deg: float) -> float:
            rays = self._rays(self.pixels, field_deg)
            return float((fits.rotation(rays, self._wanted).residuals(rays, self._wanted) ** 2).sum())

        tried = np.linspace(*FIELDS_DEG, 60)
        best = min(tried.tolist(), key=misses)
        step = float(tried[1] - tried[0])
        low, high = max(best - step, FIELDS_DEG[0]), min(best + step, FIELDS_DEG[1])
        return float(minimize_scalar(misses, bounds=(low, high), method="bounded", options={"xatol": 1e-4}).x)

    @cached_property
    def turn(self) -> fits.Turned:
        rays = self._rays(self.pixels, self.field_deg)
        if fits.parallel(rays):
            raise Refused([Fault("pairs", "all lie at one place of the picture", "places that are spread out")])
        return fits.rotation(rays, self._wanted)

    @property
    def _wanted(self) -> Floats:
        return directions(self.onto[:, 0], self.onto[:, 1])

    def _rays(self, pixels: Floats, field_deg: float) -> Floats:
        """(n, 3) of length 1: to the right, ahead, up of the picture."""
        width, height = self.seen_by.size
        f = width / 2 / math.tan(math.radians(field_deg) / 2)
        rays = np.column_stack(((pixels[:, 0] - width / 2) / f, np.ones(len(pixels)), -(pixels[:, 1] - height / 2) / f))
        out: Floats = rays / np.linalg.norm(rays, axis=1, keepdims=True)
        return out

    # ---- the ground ----------------------------------------------------------------------------------------------

    @cached_property
    def places(self) -> Floats:
        """(n, 2): where on the ground the head looked at each pair. Raises `Refused` where it looked at none."""
        to = self._wanted
        if (to[:, 2] >= -1e-6).any():
            raise Refused([Fault("pairs", "the head looked above the horizon at one", "feet, on the ground")])
        out: Floats = np.array([self.head.x_m, self.head.y_m]) + to[:, :2] * (self.head.height_m / -to[:, 2:])
        return out

    @cached_property
    def ground(self) -> fits.Ground:
        if not fits.has_a_frame(self.pixels) or not fits.has_a_frame(self.places):
            raise Refused([Fault("pairs", "of every four points three are in a line", "points that are spread out")])
        return fits.ground(self.pixels, self.places)

    # ---- both ----------------------------------------------------------------------------------------------------

    def towards(self, u_px: float, v_px: float, up_m: float = 0.0) -> Direction:
        """Return where the head must look to see what is at a pixel; `up_m` above the ground, where that counts. Raises `Refused`."""
        pixel = np.array([[u_px, v_px]])
        if self.seen_by.model == "rotation":
            x, y, z = (self._rays(pixel, self.field_deg) @ self.turn.matrix.T)[0].tolist()
            return Direction(math.degrees(math.atan2(x, y)) % 360, -math.degrees(math.asin(max(min(z, 1.0), -1.0))))
        x, y, w = (np.append(pixel[0], 1.0) @ self.ground.matrix.T).tolist()
        middle = np.append(self.pixels.mean(axis=0), 1.0) @ self.ground.matrix.T
        if w * float(middle[2]) <= 0:
            raise Refused([Fault("pixel", f"{u_px:g}, {v_px:g} lies beyond the horizon", "a place on the ground")])
        return towards(self.head, (x / w, y / w, up_m))

    def pixel(self, to: Direction) -> tuple[float, float] | None:
        """Return where in the picture a direction of the head lies; None: behind it, or on no ground."""
        width, height = self.seen_by.size
        ray = directions(np.array([to.pan_deg]), np.array([to.tilt_deg]))[0]
        if self.seen_by.model == "rotation":
            right, ahead, up = (self.turn.matrix.T @ ray).tolist()
            f = width / 2 / math.tan(math.radians(self.field_deg) / 2)
            return (width / 2 + f * right / ahead, height / 2 - f * up / ahead) if ahead > 0 else None
        if ray[2] >= 0:
            return None
        place = np.array([self.head.x_m, self.head.y_m]) + ray[:2] * (self.head.height_m / -ray[2])
        u, v, w = (np.linalg.inv(self.ground.matrix) @ np.append(place, 1.0)).tolist()
        return (u / w, v / w) if abs(w) > 1e-12 else None

    @cached_property
    def off_deg(self) -> list[float]:
        """By how many degrees the head would miss each pair."""
        out = []
        for pair, (pan, tilt) in zip(self.seen_by.pairs, self.onto.tolist(), strict=True):
            to = self.towards(pair.u_px, pair.v_px)
            out.append(_apart(to, Direction(pan, tilt)))
        return out

    @property
    def rms_deg(self) -> float:
        return float(np.sqrt((np.array(self.off_deg) ** 2).mean()))

    def left_out(self, at: int) -> float | None:
        """By how much a pair is missed if the others alone are asked; None where they are too few."""
        rest = [place for place in range(len(self.seen_by.pairs)) if place != at]
        fewest = LEAST_FOR_FIELD if self.seen_by.model == "rotation" else LEAST["ground"]
        if len(rest) < fewest:
            return None
        others = self.seen_by.model_copy(update={"pairs": tuple(self.seen_by.pairs[place] for place in rest)})
        pair, (pan, tilt) = self.seen_by.pairs[at], self.onto[at].tolist()
        try:
            return _apart(
                Fitted(others, self.head, self.onto[rest]).towards(pair.u_px, pair.v_px), Direction(pan, tilt)
            )
        except Refused:
            return None

    def warnings(self) -> list[str]:
        out = []
        spread = float(np.ptp(self.onto[:, 1])) if len(self.onto) else 0.0
        if spread < NARROW_DEG:
            out.append(
                f"All pairs lie within {spread:.0f}° of one elevation: that is weak; add one nearer, or higher up."
            )
        if self.seen_by.model == "rotation" and len(self.seen_by.pairs) == LEAST_FOR_FIELD:
            out.append("Nothing checks them: a pair more would.")
        return out


def _apart(one: Direction, other: Direction) -> float:
    cosine = float(np.dot(one.vector, other.vector))
    chord = float(np.linalg.norm(np.array(one.vector) - np.array(other.vector)))
    return (
        math.degrees(2 * math.asin(min(chord / 2, 1.0))) if cosine > 0 else math.degrees(math.acos(max(cosine, -1.0)))
    )


def parallax_deg(baseline_m: float, away_m: Sequence[float] = PARALLAX_AT_M) -> list[float]:
    """Return by how much one turn is wrong for what is so far away, of a picture taken so far beside the head (H04)."""
    return [math.degrees(math.atan(baseline_m / each)) for each in away_m]
