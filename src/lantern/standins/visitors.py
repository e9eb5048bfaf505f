"""Who passes the control room door in two days, and what a face camera there says of them: all of it made up.

A face is a handful of numbers, no picture of anybody. A capture is the face with noise: little at noon, much against the morning's
light, which also washes all faces towards one another; a cap hides some of it. The camera scores a capture against each member
of its gallery by how alike the numbers are, 0 to 100.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from lantern.core.faces.looks import Column, Looks
from lantern.core.scoring.marks import Mark
from lantern.core.signals import Floats

FEATURES, SEED = 32, 20_260_317
CREW, BARRED, STRANGERS = 24, 5, 860  # a day, the last
OPEN_S, CLOSE_S = 0.0, 16 * 3600.0  # from 06:00 to 22:00
BACKLIGHT_S = (3600.0, 3 * 3600.0)  # the sun stands low behind the door from 07:00 to 09:00
NOISE, NOISE_BACKLIT, NOISE_CAP, NOISE_REFERENCE = 0.9, 1.1, 0.2, 0.15
WASHED, WASHED_BACKLIT, WASHED_REFERENCE = 0.1, 0.72, 0.3
STEEP, MIDDLE = 8.0, 0.42
KIN = 0.88  # how alike the look-alikes are
STAY_S, LOOK_EVERY_S = 1.4, 0.7
SCALE = (0.0, 100.0)
ALGORITHM = "doorface 2.1"
CREW_NAMES = tuple(f"m-{n:03d}" for n in range(1, CREW + 1))
BARRED_NAMES = tuple(f"x-{n:03d}" for n in range(1, BARRED + 1))
GALLERY = CREW_NAMES + BARRED_NAMES


class Passage(NamedTuple):
    """Somebody walks up to the door at `t` s; `who`: place in the gallery, -1 a stranger."""

    t: float
    who: int
    subject: str
    face: Floats
    cap: bool


@dataclass(frozen=True)
class Day:
    """What the camera said in a day, and when somebody of a list truly came: (from, to) by the member's place in the gallery."""

    looks: Looks
    captures: Floats  # (looks, 32): what the camera saw
    came: tuple[tuple[float, float, int], ...]

    def marks(self, names: tuple[str, ...], detector: str) -> list[Mark]:
        """Return what should raise a detector of these members."""
        wanted = {GALLERY.index(name) for name in names}
        return [
            Mark(max(start - 1.0, 0.0), end + 1.0, "expect", detector, GALLERY[who])
            for start, end, who in self.came
            if who in wanted
        ]


@lru_cache
def faces() -> Floats:
    """(29, 32): the faces of the gallery. The last of the barred looks much like the third of the crew."""
    rng = np.random.default_rng(SEED)
    made = _unit(rng.normal(size=(len(GALLERY), FEATURES)))
    kin = KIN * made[2] + np.sqrt(1 - KIN**2) * made[-1]
    made[-1] = kin / np.linalg.norm(kin)
    return made


@lru_cache
def enrolled() -> Floats:
    """(29, 32): the references that the camera holds: each a capture in good light."""
    rng = np.random.default_rng(SEED + 1)
    return np.stack([_capture(face, rng, NOISE_REFERENCE, WASHED_REFERENCE) for face in faces()])


def day(number: int) -> Day:
    """Return the first (0) or the second (1) of the two days."""
    rng = np.random.default_rng(SEED + 10 + number)
    passages = sorted(_passages(number, rng))
    rows: list[tuple[float, Passage, Floats]] = []
    came = []
    for each in passages:
        times = np.arange(each.t, each.t + rng.uniform(0.3, 1.0) * STAY_S, LOOK_EVERY_S)
        for t in times.tolist():
            rows.append((round(t, 2), each, _seen(each, t, rng)))
        if each.who >= 0:
            came.append((each.t, float(times[-1]), each.who))
    rows.sort(key=lambda row: row[0])
    return Day(_looks(rows, number), np.stack([capture for _, _, capture in rows]), tuple(came))


def backlit(t: float) -> bool:
    return BACKLIGHT_S[0] <= t < BACKLIGHT_S[1]


def scored(capture: Floats) -> Floats:
    """(29,): how alike a capture is to each reference, 0 to 100 with one decimal."""
    return alike(enrolled(), capture)


def alike(references: Floats, capture: Floats) -> Floats:
    """(n,): how alike a capture is to each of the references (n, 32), 0 to 100 with one decimal."""
    out: Floats = np.round(100 / (1 + np.exp(-STEEP * (references @ capture - MIDDLE))), 1)
    return out


def _passages(number: int, rng: np.random.Generator) -> list[Passage]:
    known = faces()
    out = []
    for who in range(CREW):  # to work, to lunch and back, home
        shift = 0.0 if who % 2 else 2.5 * 3600
        for at in (0.2 * 3600, 5.5 * 3600, 6.2 * 3600, 9.0 * 3600):
            t = at + shift + rng.normal(0, 900)
            out.append(_passage(float(np.clip(t, 60, CLOSE_S - 60)), who, GALLERY[who], known[who], rng))
    for place in range(BARRED):  # each in both lights over the two days
        who = CREW + place
        for t in (rng.uniform(*BACKLIGHT_S), rng.uniform(4 * 3600, CLOSE_S - 3600)):
            out.append(_passage(float(t), who, GALLERY[who], known[who], rng))
    for n in range(STRANGERS):
        busy = rng.random() < 0.35
        t = rng.normal(2.0 * 3600, 2400) if busy else rng.uniform(OPEN_S + 60, CLOSE_S - 60)
        face = _unit(rng.normal(size=FEATURES))
        out.append(_passage(float(np.clip(t, 60, CLOSE_S - 60)), -1, f"s{number}-{n:03d}", face, rng))
    return out


def _passage(t: float, who: int, subject: str, face: Floats, rng: np.random.Generator) -> Passage:
    return Passage(t, who, subject, face, bool(rng.random() < 0.18))


def _seen(each: Passage, t: float, rng: np.random.Generator) -> Floats:
    noise = NOISE_BACKLIT if backlit(t) else NOISE
    washed = WASHED_BACKLIT if backlit(t) else WASHED
    return _capture(each.face, rng, noise + (NOISE_CAP if each.cap else 0.0), washed)


def _capture(face: Floats, rng: np.random.Generator, noise: float, washed: float) -> Floats:
    """(32,) of length 1: a face with noise, drawn towards what all washed-out faces have in common."""
    common = np.full(FEATURES, 1 / np.sqrt(FEATURES))
    return _unit(face + noise * rng.normal(size=FEATURES) / np.sqrt(FEATURES) + washed * common)


def _unit(vectors: Floats) -> Floats:
    out: Floats = vectors / np.linalg.norm(vectors, axis=-1, keepdims=True)
    return out


def _looks(rows: list[tuple[float, Passage, Floats]], number: int) -> Looks:
    scores = np.stack([scored(capture) for _, _, capture in rows])
    order = np.argsort(-scores, axis=1, kind="stable")  # the camera tells the best first
    size = len(GALLERY)
    who = np.array([each.who for _, each, _ in rows])
    by_row = {
        "subject": [each.subject for _, each, _ in rows],
        "light": ["backlight" if backlit(t) else "even" for t, _, _ in rows],
        "head": ["cap" if each.cap else "bare" for _, each, _ in rows],
    }
    return Looks(
        t_s=np.array([t for t, _, _ in rows]),
        probe=tuple(f"d{number + 1}-{at:04d}" for at in range(len(rows))),
        first=np.arange(0, len(rows) * size + 1, size),
        score=np.take_along_axis(scores, order, axis=1).ravel(),
        candidate=Column(order.astype(np.int32).ravel(), GALLERY),
        mated=(order == who[:, None]).astype(np.int8).ravel(),
        groups={name: _repeated(cells, size) for name, cells in by_row.items()},
        scale=SCALE,
        algorithm=ALGORITHM,
    )


def _repeated(cells: list[str], times: int) -> Column:
    column = Column.of(cells)
    return Column(np.repeat(column.code, times), column.words)
