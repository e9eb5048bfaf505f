"""What a head's picture must not show: polygons on the sphere about it, drawn anew wherever it looks (H14), wider while it moves (H15)."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Self

import numpy as np
import shapely
from pydantic import Field, model_validator
from shapely.geometry.base import BaseGeometry

from lantern.core.modelled import Strict
from lantern.core.optics.mount import View
from lantern.core.ptz.head import TURN_DEG, Head
from lantern.core.ptz.pointing import Direction
from lantern.core.registration.report import directions
from lantern.core.signals import Floats

WIDEST_DEG = 80.0  # of a corner from the middle: beyond it a polygon no longer says which side it hides
AHEAD = 1e-3  # of a length of 1: what lies less far ahead is cut off before anything is divided by it
OFF_BELOW = 0.9  # of its zoom: until then one that hides stays, so that it does not flicker at the edge

Corner = tuple[float, float]  # pan clockwise from north, tilt down-positive, degrees


class Mask(Strict):
    """`points`: its corners in order, joined by great circles. `from_zoom`: it hides from so many times on; 1: always. `token`: of the
    device, once it was given; `given`: its corners then.
    """

    name: str = Field(min_length=1, max_length=80)
    points: tuple[Corner, ...] = Field(min_length=3, max_length=20)
    from_zoom: float = Field(default=1.0, ge=1, le=1000)
    token: str = Field(default="", max_length=80)
    given: tuple[Corner, ...] = Field(default=(), max_length=20)

    @model_validator(mode="after")
    def _one_side(self) -> Self:
        if any(abs(tilt) > 90 for _, tilt in self.points):
            raise ValueError("tilts are -90 to 90, down-positive")
        away = self.vectors @ self._middle
        if not np.linalg.norm(self.vectors.mean(axis=0)) or float(away.min()) < math.cos(math.radians(WIDEST_DEG)):
            raise ValueError(f"its corners lie more than {WIDEST_DEG:g}° from its middle: make two of it")
        flat = self._flat
        if not flat.is_valid or flat.area <= 0:
            raise ValueError("its edges cross, or its corners lie in a line: corners in order, around what it hides")
        return self

    @property
    def is_given(self) -> bool:
        """Return whether the device was told to hide just this."""
        return bool(self.token) and self.given == self.points

    @property
    def middle(self) -> Direction:
        x, y, z = self._middle.tolist()
        return Direction(math.degrees(math.atan2(x, y)) % TURN_DEG, -math.degrees(math.asin(max(min(z, 1.0), -1.0))))

    @cached_property
    def vectors(self) -> Floats:
        """(n, 3) of length 1: x east, y north, z up."""
        pan, tilt = np.array(self.points).T
        return directions(pan, tilt)

    @cached_property
    def _middle(self) -> Floats:
        middle = self.vectors.mean(axis=0)
        out: Floats = middle / (np.linalg.norm(middle) or 1.0)
        return out

    @cached_property
    def _across(self) -> Floats:
        """Two directions across its middle."""
        level = np.array([0.0, 0.0, 1.0]) if abs(self._middle[2]) < 0.9 else np.array([1.0, 0.0, 0.0])
        right = np.cross(self._middle, level)
        right /= np.linalg.norm(right)
        return np.stack([right, np.cross(self._middle, right)])

    @cached_property
    def _flat(self) -> shapely.Polygon:
        """It as a picture that looks at its middle has it: great circles are straight there."""
        return shapely.Polygon((self.vectors @ self._across.T) / (self.vectors @ self._middle)[:, None])

    def covers(self, pan_deg: float, tilt_deg: float) -> bool:
        """Return whether it hides a direction."""
        ray = directions(np.array([pan_deg]), np.array([tilt_deg]))[0]
        ahead = float(ray @ self._middle)
        return ahead > 0 and self._flat.covers(shapely.Point(self._across @ ray / ahead))


@dataclass
class Hides:
    """Which masks hide, as the zoom goes: from theirs on, and until it is clearly less. One that is not known hides all."""

    _on: set[str] = field(default_factory=set)

    def now(self, masks: Sequence[Mask], zoom: float | None) -> list[Mask]:
        """Return those that hide at a zoom, in times; None: nobody knows it."""
        self._on = {
            each.name
            for each in masks
            if zoom is None
            or each.from_zoom <= 1
            or zoom >= each.from_zoom * (OFF_BELOW if each.name in self._on else 1.0)
        }
        return [each for each in masks if each.name in self._on]


def corners_px(mask: Mask, view: View) -> Floats:
    """(k, 2): its corners in a picture's pixels, cut off before the eye (H14); none: all of it lies behind."""
    seen = mask.vectors @ view.axes.T
    out = []
    for one, other in zip(seen, np.roll(seen, -1, axis=0), strict=True):
        if one[2] >= AHEAD:
            out.append(one)
        if (one[2] >= AHEAD) != (other[2] >= AHEAD):
            out.append(one + (other - one) * (AHEAD - one[2]) / (other[2] - one[2]))
    cut = np.array(out).reshape(-1, 3)
    pixels: Floats = np.array(view.mount.pixels) / 2 + view.mount.f_px * cut[:, :2] / cut[:, 2:]
    return pixels


def grown_px(f_px: float, turned_deg: float) -> float:
    """By how much a mask must reach farther, if the head may have turned by so much since: f tan(w L) (H15)."""
    return f_px * math.tan(math.radians(min(turned_deg, WIDEST_DEG)))


def turned_within(head: Head, speed_deg_s: float, time_s: float) -> float:
    """Return how many degrees it turns at most in a time, from a speed on: as it speeds up, up to its greatest."""
    return min(abs(speed_deg_s) * time_s + head.acceleration_deg_s2 * time_s**2 / 2, head.speed_deg_s * time_s)


def hidden(mask: Mask, views: Sequence[View], grown: float = 0.0) -> BaseGeometry:
    """Return what of a picture a mask hides, in pixels, cut at the picture's edges. `views`: where it looked just before, and after; what
    lies between is hidden too. `grown`: so many pixels more on all sides.
    """
    pieces = [
        shapely.make_valid(shapely.Polygon(each))
        for each in (corners_px(mask, view) for view in views)
        if len(each) >= 3
    ]
    whole = shapely.union_all(pieces)
    if len(pieces) > 1 and not pieces[0].equals(pieces[-1]):
        whole = whole.convex_hull
    width, height = views[0].mount.pixels
    out: BaseGeometry = shapely.box(0, 0, width, height).intersection(whole.buffer(grown) if grown > 0 else whole)
    return out


def bearing(view: View, u_px: float, v_px: float) -> Corner:
    """Return which way a pixel looks: pan and tilt, degrees."""
    x, y, z = view.rays(np.array([u_px, v_px])).tolist()
    return math.degrees(math.atan2(x, y)) % TURN_DEG, -math.degrees(math.atan2(z, math.hypot(x, y)))


def polygons(area: BaseGeometry) -> list[list[Corner]]:
    """Return an area as polygons, each by its corners."""
    if isinstance(area, shapely.Polygon):
        return [] if area.is_empty else [[(u, v) for u, v, *_ in area.exterior.coords[:-1]]]
    return [corners for part in getattr(area, "geoms", ()) for corners in polygons(part)]


def share(areas: Iterable[BaseGeometry], view: View) -> float:
    """Return how much of a picture is hidden, 0 to 1."""
    width, height = view.mount.pixels
    return float(shapely.union_all(list(areas)).area) / (width * height)
