"""An endless line's sides, the stretch of it between its two points, and who crosses: over whole takes, and a sample at a time.

The side is the sign of s = ((B - A) x (P - A)) / |B - A| in pixels; with v pointing down, s > 0 is right of A to B on the
screen (textbook). A sample is *confirmed* on a side when it lies further than `band` from the line. Crossed: confirmed on
the other side than before, and the path since cuts the line between its points, ends included.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from lantern.core.signals import Floats
from lantern.core.watching import Bools, Indices

Direction = Literal["a_to_b", "b_to_a"]
Point = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Crossing:
    """The sample `at` which an object is first confirmed on the other side."""

    at: int
    direction: Direction


def distance(points: Floats, a: Point, b: Point) -> Floats:
    """(n, 2) to (n,): signed distance to the endless line, above 0 on the B side."""
    along = np.array(b) - np.array(a)
    out, other = points[:, 1] - a[1], points[:, 0] - a[0]
    out *= along[0]  # in place: a line that is dragged over an hour asks this of 1.6 million places at a time
    other *= along[1]
    out -= other
    out /= np.hypot(*along)
    return np.asarray(out)


def cuts(points: Floats, starts: Indices, a: Point, b: Point) -> Bools:
    """(n,): does the step from the sample before (of the same stretch) to this one touch the line between its points?"""
    return _cuts(points, starts, distance(points, a, b), a, b)


def _cuts(points: Floats, starts: Indices, s: Floats, a: Point, b: Point) -> Bools:
    out = np.zeros(len(points), dtype=np.bool_)
    above, below = s > 0, s < 0
    at = np.flatnonzero(
        ~(above[1:] & above[:-1] | below[1:] & below[:-1])
    )  # others stay on their side of the endless line
    at = at[starts[at + 1] == starts[at]]
    p, q = points[at], points[at + 1]
    first, second = np.broadcast_to(np.array(a), p.shape), np.broadcast_to(np.array(b), p.shape)
    touch = _turn(p, q, first) * _turn(p, q, second) <= 0
    flat = (s[at] == 0) & (s[at + 1] == 0)  # along the line itself: does the step reach between the points?
    if flat.any():
        touch[flat] = _overlap(p[flat], q[flat], np.array(a), np.array(b))
    out[at[touch] + 1] = True
    return out


@dataclass(frozen=True)
class Beside:
    """Where objects are against one line: all that a band, a direction or a re-arm time does not change.

    `s` (n,): signed distance in px; `cut` (n,): does the step to here touch the line? `touched` (n,): how many have so far.
    `lively`: the samples of stretches that touch it at all; nobody else can cross, whatever the band.
    `first`, `least`, `most`: of each stretch its first sample and how far it goes to either side.
    """

    s: Floats
    cut: Bools
    touched: NDArray[np.integer]
    lively: Indices
    first: Indices
    least: Floats
    most: Floats

    def changed_sides(self, band: float) -> Indices:
        """The first samples of stretches that are confirmed on both sides."""
        return self.first[(self.most > band) & (self.least < -band)]


def beside(points: Floats, starts: Indices, a: Point, b: Point) -> Beside:
    """(n, 2) places of objects. `starts`: for each sample the first of its stretch."""
    s = distance(points, a, b)
    cut = _cuts(points, starts, s, a, b)
    first = np.concatenate(([0], np.flatnonzero(starts[1:] != starts[:-1]) + 1))[: s.size]
    if first.size == 0:
        return Beside(s, cut, first, first, first, s, s)
    touching = np.repeat(np.logical_or.reduceat(cut, first), np.diff(first, append=s.size))
    least, most = np.minimum.reduceat(s, first), np.maximum.reduceat(s, first)
    return Beside(s, cut, np.cumsum(cut, dtype=np.int32), np.flatnonzero(touching), first, least, most)


def crossings(where: Beside, starts: Indices, band: float) -> list[Crossing]:
    """Return all crossings, in the order of the samples."""
    s = where.s[where.lively]
    sure = np.flatnonzero(np.abs(s) > band)
    positive = s[sure] > 0
    turn = np.flatnonzero(positive[1:] != positive[:-1]) + 1
    before, here = where.lively[sure[turn - 1]], where.lively[sure[turn]]
    crossed = (starts[before] == starts[here]) & (where.touched[here] > where.touched[before])
    return [
        Crossing(k, "a_to_b" if to_b else "b_to_a")
        for k, to_b in zip(here[crossed].tolist(), positive[turn[crossed]].tolist(), strict=True)
    ]


def shares_beyond(boxes: Floats, a: Point, b: Point, *, positive: bool) -> Floats:
    """(n,): which share of each box's area (left, top, width, height) lies beyond the endless line, on the B side if `positive`.

    With u the centre's distance, p >= q the box's half extents along the line's normal: 1/2 + u / 2p where the line cuts two
    opposite sides, else the corner triangle (p + q - |u|)^2 / 8pq on the smaller side (elementary geometry).
    """
    left, top, width, height = boxes.T
    centre = np.column_stack((left + width / 2, top + height / 2))
    u = distance(centre, a, b) * (1 if positive else -1)
    along = np.abs(np.array(b) - np.array(a)) / np.hypot(b[0] - a[0], b[1] - a[1])
    ex, ey = along[1] * width / 2, along[0] * height / 2  # the normal is the direction turned by a right angle
    p, q = np.maximum(ex, ey), np.minimum(ex, ey)
    with np.errstate(divide="ignore", invalid="ignore"):
        across_both = 0.5 + u / (2 * p)
        corner = (np.maximum(p + q - np.abs(u), 0)) ** 2 / (8 * p * q)
    smaller = np.where(np.abs(u) >= p + q, 0.0, corner)
    share = np.where(np.abs(u) <= p - q, across_both, np.where(u > 0, 1 - smaller, smaller))
    return np.asarray(np.where(p > 0, share, (u > 0).astype(np.float64)))


def share_beyond(box: Floats, a: Point, b: Point, *, positive: bool) -> float:
    """Return the share of one box that lies beyond the line."""
    return float(shares_beyond(box[None], a, b, positive=positive)[0])


def across(
    where: Beside,
    starts: Indices,
    found: Sequence[Crossing],
    beyond: Mapping[bool, Floats],
    band: float,
    percent: float,
) -> list[int | None]:
    """Return for each crossing the first sample from it on, still on the new side, with so much of the box beyond;
    None: it never comes.

    `beyond`: which share of the box of each of `where.lively` lies beyond the line, on the B side (True) and on the A side.
    """
    lively, s = where.lively, where.s[where.lively]
    stretch = starts[lively]
    at = np.searchsorted(lively, [crossing.at for crossing in found])
    stop = np.searchsorted(stretch, stretch[at], side="right")
    out: list[int | None] = [None] * len(found)
    for positive in (True, False):
        enough = np.flatnonzero(beyond[positive] * 100 >= percent - 1e-9)
        back = np.flatnonzero(s < -band if positive else s > band)
        reached, returned = _next(enough, at, s.size), _next(back, at, s.size)
        good = (reached < stop) & (reached < returned)
        for i, crossing in enumerate(found):
            if good[i] and (crossing.direction == "a_to_b") == positive:
                out[i] = int(lively[reached[i]])
    return out


def _next(among: Indices, at: Indices, none: int) -> Indices:
    """Return for each index the first of `among` from it on; `none` where there is none."""
    return np.append(among, none)[np.searchsorted(among, at)]


def _turn(a: Floats, b: Floats, p: Floats) -> Floats:
    return np.asarray((b[:, 0] - a[:, 0]) * (p[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (p[:, 0] - a[:, 0]))


def _overlap(p: Floats, q: Floats, a: Floats, b: Floats) -> Bools:
    axis = int(abs(b - a).argmax())
    low, high = np.minimum(p[:, axis], q[:, axis]), np.maximum(p[:, axis], q[:, axis])
    return np.asarray((low <= max(a[axis], b[axis])) & (high >= min(a[axis], b[axis])))


# ---- a sample at a time ----------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class LineState:
    """What a line remembers of one object: the side it was last confirmed on, its last place, whether it cut the line since."""

    side: int = 0
    place: Point | None = None
    cut: bool = False
    pending: Direction | None = None
    distance: float = 0.0


def step(
    state: LineState, point: Point, box: Floats, a: Point, b: Point, band: float, percent: float = 0.0
) -> tuple[LineState, Direction | None]:
    """Take one sample of an object; gives the direction in which it has crossed at this sample, if it has."""
    here = np.array([point])
    s = float(distance(here, a, b)[0])
    side = 1 if s > band else -1 if s < -band else 0
    cut = state.cut
    if state.place is not None and not cut:
        pair = np.array([state.place, point])
        cut = bool(cuts(pair, np.zeros(2, dtype=np.intp), a, b)[1])
    pending = state.pending
    crossed: Direction | None = None
    if side and state.side and side != state.side:
        direction: Direction = "a_to_b" if side > 0 else "b_to_a"
        pending = direction if cut else None
    if side:
        cut = False
    if pending is not None and (
        percent == 0 or share_beyond(box, a, b, positive=pending == "a_to_b") * 100 >= percent - 1e-9
    ):
        crossed, pending = pending, None
    return LineState(side or state.side, point, cut, pending, s), crossed
