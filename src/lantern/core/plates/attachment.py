"""Does a plate go with a vehicle, or is it held in a hand? By where it is in the vehicle's box, read by read.

A plate that is fixed stays where it is in the box; a held one wanders (0.009 and 0.14 of the box in the sketch of `checks.json`
E19; the limit of 0.05 is common practice, no source). A vehicle that stands tells nothing.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lantern.core.signals import Floats
from lantern.core.watching import Bools, Indices

LEAST_READS = 5
INSIDE_OF_FIVE = 4  # of five reads the plate is inside the vehicle's box at least so often
MOVED = 0.25  # of the vehicle box's mean width
UNDETERMINED, HELD, ATTACHED = 0, 1, 2
NAMES = ("undetermined", "held", "attached")
EQUAL = 1e-9
Kinds = NDArray[np.int8]


@dataclass(frozen=True)
class Seen:
    """The state of k passages by the reads so far. `known` (k,): UNDETERMINED and HELD whatever `wander` says, ATTACHED
    where that decides; `wander` (k,): RMS distance of the plate's middle from its mean, in the vehicle's box (NaN
    without boxes).
    """

    known: Kinds
    wander: Floats

    def kind_at(self, row: int, limit: float) -> int:
        """Return what one of them is."""
        return int(Seen(self.known[row : row + 1], self.wander[row : row + 1]).kinds(limit)[0])

    def kinds(self, limit: float) -> Kinds:
        """(k,) what they are where a plate may wander by `limit`."""
        held = (self.known == ATTACHED) & (self.wander > limit + EQUAL)
        return np.where(held, HELD, self.known).astype(np.int8)


class Attachment:
    """Running sums over the reads of `passages` passages."""

    def __init__(self, passages: int) -> None:
        self.reads, self.inside, self.both = (np.zeros(passages, dtype=np.intp) for _ in range(3))
        self.width_px = np.zeros(passages)
        self.first_px, self.last_px = np.zeros((passages, 2)), np.zeros((passages, 2))
        self.first_uv = np.zeros((passages, 2))  # sums go by what is left of it, for accuracy
        self.sum_uv, self.squares = np.zeros((passages, 2)), np.zeros((passages, 2))

    def add(self, which: Indices, plate: Floats, car: Floats) -> None:
        """One more read for each of k passages, no passage twice: `plate`, `car` (k, 4), NaN without a box."""
        self.reads[which] += 1
        both: Bools = ~np.isnan(plate[:, 0]) & ~np.isnan(car[:, 0])
        rows = which[both]
        plate, car = plate[both], car[both]
        middle, car_middle = plate[:, :2] + plate[:, 2:] / 2, car[:, :2] + car[:, 2:] / 2
        within = (middle >= car[:, :2] - EQUAL) & (middle <= car[:, :2] + car[:, 2:] + EQUAL)
        self.inside[rows] += within.all(axis=1)
        uv = (middle - car[:, :2]) / car[:, 2:]
        new = self.both[rows] == 0
        self.first_px[rows[new]], self.first_uv[rows[new]] = car_middle[new], uv[new]
        self.last_px[rows] = car_middle
        self.width_px[rows] += car[:, 2]
        off = uv - self.first_uv[rows]
        self.sum_uv[rows] += off
        self.squares[rows] += off**2
        self.both[rows] += 1

    def seen(self, which: Indices) -> Seen:
        reads, inside, both = self.reads[which], self.inside[which], self.both[which]
        n = np.maximum(both, 1)[:, None]
        spread = np.maximum(self.squares[which] / n - (self.sum_uv[which] / n) ** 2, 0.0).sum(axis=1)
        wander = np.where(both > 0, np.sqrt(spread), np.nan)
        way = np.hypot(*(self.last_px[which] - self.first_px[which]).T)
        stands = way < MOVED * self.width_px[which] / n[:, 0] - EQUAL
        known = np.full(which.size, ATTACHED)
        known[stands | (both == 0)] = UNDETERMINED
        known[5 * inside < INSIDE_OF_FIVE * reads] = HELD
        known[reads < LEAST_READS] = UNDETERMINED
        return Seen(known.astype(np.int8), wander)
