"""T3: the crew door. Sixty people look into the camera one after another beside a reference source; five are too warm.

What makes it hard is in it: the camera's reading wanders by some tenths and steps once, so that only the reference tells;
one stands too far away, one has a second face behind the shoulder, one holds a hot cup, and a hand covers the reference.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np

from lantern.core.scoring.marks import Mark
from lantern.core.signals import RecordedAs
from lantern.standins.scene import Picture, Scene

PEOPLE = 60
EACH_S = 6.5
STAY_S = 4.5  # of that; then the door closes behind them
WARM = {8: 38.3, 21: 37.9, 33: 38.6, 47: 38.1, 55: 38.4}  # person and true temperature of the corners of the eyes
FAR, TWO_FACES, CUP = 17, 29, 41
COVERED_S = (254.0, 256.5)
STEP_S = 150.0
REFERENCE_C = 35.0
REFERENCE_BOX = (286, 12, 310, 36)


class CrewDoor(Scene):
    width, height, fps, seconds, seed = 320, 240, 4.0, PEOPLE * EACH_S, 20260306
    recorded = RecordedAs(emissivity_set=0.98, reflected_c=22.0, distance_m=0.9, humidity_percent=40.0, air_c=22.0)

    def __init__(self) -> None:
        rng = np.random.default_rng(self.seed)
        self.true_c = np.round(rng.normal(36.1, 0.2, PEOPLE), 2)
        for person, value in WARM.items():
            self.true_c[person] = value
        self.places = rng.uniform(-6, 6, (PEOPLE, 2))
        super().__init__()

    def surfaces(self, rng: np.random.Generator) -> Picture:
        wall = 23.0 + 0.004 * self.columns + self.texture(rng, 9.0, 0.12)
        left, top, right, bottom = REFERENCE_BOX
        source = (self.columns >= left) & (self.columns < right) & (self.rows >= top) & (self.rows < bottom)
        return np.asarray(np.where(source, REFERENCE_C, wall))

    def paint(self, picture: Any, t: float) -> None:
        person, inside = int(t // EACH_S), t % EACH_S
        if person < PEOPLE and 0.75 <= inside < 0.75 + STAY_S:
            self.person(picture, person, inside)
        if COVERED_S[0] <= t < COVERED_S[1]:
            left, top, right, bottom = REFERENCE_BOX
            picture[top - 8 : bottom + 10, left - 10 : right + 8] = 31.6
        # the camera's own wandering, on every pixel alike
        picture += np.float32(0.35 * np.sin(t / 61.0) + (0.25 if t >= STEP_S else 0.0))

    def person(self, picture: Any, person: int, inside: float) -> None:
        sway = 2.0 * np.sin(1.9 * inside + person)
        x, y = 160 + self.places[person, 0] + sway, 122 + self.places[person, 1]
        size = 0.24 if person == FAR else 1.0
        self.face(picture, x, y, size, float(self.true_c[person]))
        if person == TWO_FACES and inside > 2.0:
            self.face(picture, x - 82, y - 76, 0.42, 36.0)
        if person == CUP:
            self.spot(picture, x + 52, y + 78, 6.0, 34.0)

    def face(self, picture: Any, x: float, y: float, size: float, true_c: float) -> None:
        """Cheeks cooler than the forehead, a cool nose, and the warm corners of the eyes that are measured."""
        template = _template(round(size, 2))
        height, width = template.shape
        top, left = int(y - height / 2), int(x - width / 2)
        part = picture[top : top + height, left : left + width]
        inside = template > -50
        part[inside] = (template[inside] + np.float32(true_c)) + np.random.default_rng(
            (self.seed, int(x * 8), int(y * 8))
        ).normal(0, self.noise_k, int(inside.sum())).astype(np.float32)

    def marks(self) -> list[Mark]:
        warm = [
            Mark(
                round(p * EACH_S + 0.5, 2),
                round(p * EACH_S + 0.75 + STAY_S, 2),
                "expect",
                note=f"person {p + 1}, too warm",
            )
            for p in WARM
        ]
        cup = Mark(CUP * EACH_S + 0.5, CUP * EACH_S + 0.75 + STAY_S, "quiet", note=f"person {CUP + 1} holds a hot cup")
        covered = Mark(*COVERED_S, "quiet", note="a hand covers the reference")
        return sorted([*warm, cup, covered], key=lambda mark: mark.start_s)


@lru_cache
def _template(size: float) -> Picture:
    """A face as differences from the temperature at the corners of the eyes; -99 where there is none."""
    height, width = int(176 * size), int(132 * size)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    u, v = (x - width / 2) / (width / 2), (y - height / 2) / (height / 2)
    skin = -1.7 - 0.9 * np.clip(v, -0.2, 1) - 0.8 * u * u
    skin -= 1.3 * np.exp(-(u * u) / 0.02 - (v - 0.12) ** 2 / 0.05)
    for side in (-1, 1):
        skin += 2.1 * np.exp(-((u - side * 0.2) ** 2) / 0.006 - (v + 0.16) ** 2 / 0.004)
    return np.where(u * u + v * v <= 1, np.minimum(skin, 0.0), -99.0).astype(np.float32)
