"""Faces one after another before a camera with a reference source: what is measured, refused, and learnt of those who pass.

The corrected temperature is the face's plus what the reference misses of its true value. A reading is refused, and not
taken for cool, where the reference is lost or steps, the face is too small, or two faces stand in the box.
Source of the limits: IEC 80601-2-59:2017 and ISO/TR 13154:2017 (from memory); figures without one are common practice.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from dataclasses import dataclass
from statistics import median
from typing import Literal

from lantern.core.baseline import NORMAL_FROM_MAD, median_and_mad
from lantern.core.readings.skin.dials import SkinDials

Refusal = Literal["", "reference lost", "reference stepped", "face too small", "two faces"]
NOBODY_SHARE = 0.25  # of `face_px`: fewer warm pixels are nobody, not a small face
OFFSETS_KEPT = 20
LEAST_POPULATION = 10


@dataclass(frozen=True, slots=True)
class Look:
    """What one frame gives: k-th hottest pixel of the box in °C, its face pixels, those of a second face, the reference in °C."""

    face_c: float
    face_px: float
    second_px: float
    reference_c: float


@dataclass(frozen=True, slots=True)
class Screened:
    """One frame judged: corrected temperature, the threshold in force, whether that was cut at its bounds, or why refused."""

    corrected_c: float
    threshold_c: float
    clipped: bool
    refused: Refusal
    present: bool


@dataclass(frozen=True, slots=True)
class Visitor:
    """One person: from the first to the last measured frame, the median temperature, the threshold then, asked aside or not."""

    start_s: float
    end_s: float
    temperature_c: float
    threshold_c: float
    beyond: bool


def adaptive_threshold(population: list[float], dials: SkinDials) -> tuple[float, bool]:
    """clip(median + max(k 1.4826 MAD, least margin), lowest, highest), and whether it was clipped; fixed below 10 people."""
    if len(population) < LEAST_POPULATION:
        return dials.threshold_c, False
    centre, mad = median_and_mad(population)
    wanted = centre + max(dials.spread_k * NORMAL_FROM_MAD * mad, dials.least_margin_c)
    return min(max(wanted, dials.lowest_c), dials.highest_c), not dials.lowest_c <= wanted <= dials.highest_c


class Screening:
    """Goes through the frames in order; the same object serves a whole take and the live camera."""

    def __init__(self, dials: SkinDials, visitor: Callable[[Visitor], None] = lambda v: None) -> None:
        self.dials = dials
        self.visitor = visitor
        self.offsets: deque[float] = deque(maxlen=OFFSETS_KEPT)
        self.population: deque[float] = deque(maxlen=int(dials.population))
        self.threshold_c, self.clipped = self._threshold()
        self.seen: list[tuple[float, float]] = []  # (t, corrected) of the person who stands there

    def take(self, t: float, look: Look) -> Screened:
        offset = self.dials.reference_c - look.reference_c
        refused = self._reference(offset)
        nobody = look.face_px < NOBODY_SHARE * self.dials.face_px
        if not refused and not nobody:
            refused = self._face(look)
        corrected = look.face_c + offset
        if nobody:
            self._leave()
        elif not refused:
            self.seen.append((t, corrected))
        return Screened(corrected, self.threshold_c, self.clipped, refused, not nobody)

    def end(self) -> None:
        """The take ends: whoever stands there counts."""
        self._leave()

    def _reference(self, offset: float) -> Refusal:
        if abs(offset) > self.dials.most_offset_c:
            return "reference lost"
        stepped = bool(self.offsets) and abs(offset - median(self.offsets)) > self.dials.most_jump_c
        self.offsets.append(offset)  # a step that stays is the new normal after half of what is kept
        return "reference stepped" if stepped else ""

    def _face(self, look: Look) -> Refusal:
        if look.second_px >= NOBODY_SHARE * self.dials.face_px:
            return "two faces"
        return "face too small" if look.face_px < self.dials.face_px else ""

    def _leave(self) -> None:
        """The person has gone: one more for the population, unless asked aside."""
        if not self.seen:
            return
        temperature = median(c for _, c in self.seen)
        beyond = temperature > self.threshold_c
        self.visitor(Visitor(self.seen[0][0], self.seen[-1][0], temperature, self.threshold_c, beyond))
        if not beyond:
            self.population.append(temperature)
            self.threshold_c, self.clipped = self._threshold()
        self.seen = []

    def _threshold(self) -> tuple[float, bool]:
        if not self.dials.adaptive:
            return self.dials.threshold_c, False
        return adaptive_threshold(list(self.population), self.dials)
