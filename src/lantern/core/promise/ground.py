"""A ground picture where it lies on the plan: from places in it to metres, and put to scale by two of them."""

from __future__ import annotations

import math
from collections.abc import Sequence

from pydantic import Field

from lantern.core.faults import Fault, Refused
from lantern.core.modelled import Strict
from lantern.core.promise.plan import Point

DIGITS = 3  # of a metre


class Lying(Strict):
    """`origin`: its lower left corner in m; `north_deg`: where north lies in it, clockwise from its up."""

    metres_per_px: float = Field(gt=0, le=1000)
    origin: Point = (0.0, 0.0)
    north_deg: float = Field(default=0.0, ge=-360, le=360)

    def metres(self, right_px: float, up_px: float) -> Point:
        """A place in the picture, so far from its lower left corner, on the plan: turned so that north is up."""
        turn = math.radians(self.north_deg)
        right, up = right_px * self.metres_per_px, up_px * self.metres_per_px
        return (
            round(self.origin[0] + right * math.cos(turn) - up * math.sin(turn), DIGITS),
            round(self.origin[1] + right * math.sin(turn) + up * math.cos(turn), DIGITS),
        )

    def sheet(self, right_px: float, up_px: float, *, free: bool) -> tuple[Lying, float, float]:
        """The picture of that size, and the width and height in m of a plan that holds all of it. `free`: nothing is drawn on the plan
        yet, so that the picture is laid into its corner; else it stays where it lies, for all else lies by it.

        Raises `Refused` where it stays and reaches beyond the corner from which the plan is measured.
        """
        corners = [self.metres(x, y) for x, y in ((0, 0), (right_px, 0), (0, up_px), (right_px, up_px))]
        west, south = (min(corner[axis] for corner in corners) for axis in (0, 1))
        east, north = (max(corner[axis] for corner in corners) for axis in (0, 1))
        if free:
            origin = (round(self.origin[0] - west, DIGITS), round(self.origin[1] - south, DIGITS))
            return self.model_copy(update={"origin": origin}), _ceiled(east - west), _ceiled(north - south)
        if min(west, south) < -0.05:
            what = f"reaches {max(-west, -south, 0):.1f} m beyond the lower left corner of the plan"
            raise Refused([Fault("ground picture", what, "a picture inside it: move it, and what is drawn by it")])
        return self, _ceiled(east), _ceiled(north)

    def stretched(self, one: Sequence[float], other: Sequence[float], length_m: float) -> Lying:
        """The picture so large that two of its places, as they lie on the plan now, are as far apart as they are; the first stays.

        Raises `Refused` where the two are one, or the length is none.
        """
        now_m = math.dist(one, other)
        if now_m == 0 or not 0 < length_m < 1e6:
            what = "the two points are one" if now_m == 0 else f"{length_m:g} m"
            raise Refused([Fault("scale", what, "two points of the picture, and how far apart they are in m")])
        ratio = length_m / now_m
        origin = (one[0] + (self.origin[0] - one[0]) * ratio, one[1] + (self.origin[1] - one[1]) * ratio)
        return self.model_copy(
            update={
                "metres_per_px": self.metres_per_px * ratio,
                "origin": (round(origin[0], DIGITS), round(origin[1], DIGITS)),
            }
        )


def _ceiled(length_m: float) -> float:
    return max(math.ceil(round(length_m * 10, 6)) / 10, 1.0)
