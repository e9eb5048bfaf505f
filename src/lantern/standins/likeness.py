"""Made-up faces as line drawings, and back: beneath each drawing stands a strip of grey cells that holds the numbers it was drawn by.

So the stand-in knows a face again without looking at one. Nobody's picture is in it, and none of anybody can be.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import cv2
import numpy as np

from lantern.core.signals import Floats

Grey = np.ndarray[tuple[int, ...], np.dtype[np.uint8]]  # 8-bit

WIDTH, HEIGHT, STRIP = 176, 216, 12  # px
PAPER, PAPER_BACKLIT, INK, INK_BACKLIT = 196, 228, 48, 150
CELLS = 34  # two that say that this is a strip, then the numbers
FIRST, SECOND = 20, 236
CAP_LEAST, CAP_MOST = 0.25, 0.35  # share of a face that a cap hides
EYES_OF_HEIGHT = 0.2


@dataclass(frozen=True)
class Found:
    """What the stand-in finds in a picture: the numbers of the face (32,), how many there are, what its eyes measure."""

    face: Floats
    faces: int
    eyes_px: float
    yaw_deg: float
    covered: float


def drawing(face: Floats, *, cap: bool = False, backlit: bool = False) -> bytes:
    """Return a face (32,) of length 1 as a PNG."""
    ink, paper = (INK_BACKLIT, PAPER_BACKLIT) if backlit else (INK, PAPER)
    picture = np.full((HEIGHT + STRIP, WIDTH), paper, dtype=np.uint8)
    _head(picture, np.clip(face * 2.2, -1, 1), ink, cap=cap)
    picture[HEIGHT:] = _strip(face, cap=cap)
    _, made = cv2.imencode(".png", picture, [cv2.IMWRITE_PNG_COMPRESSION, 6])
    return made.tobytes()


def found_in(data: bytes) -> Found | None:
    """Return what is found in a picture that a stand-in drew, scaled or not; None: no face."""
    picture = cv2.imdecode(np.frombuffer(data, dtype=np.uint8), cv2.IMREAD_GRAYSCALE)
    if picture is None:
        return None
    height, width = picture.shape
    faces = max(1, round(width / height * (HEIGHT + STRIP) / WIDTH))  # several stand side by side
    cells = _cells(picture[:, : width // faces])
    if cells is None:
        return None
    face = (cells[2:] / 255 - 0.5) * 2
    cap = bool(cells[1] < (FIRST + SECOND) / 2)
    covered = CAP_LEAST + (CAP_MOST - CAP_LEAST) * abs(float(face[4])) if cap else 0.0
    length = float(np.linalg.norm(face))
    return Found(face / length, faces, EYES_OF_HEIGHT * height, 20 * float(face[3]), covered)


def _strip(face: Floats, *, cap: bool) -> Grey:
    """(STRIP, WIDTH): cells from left to right; the second tells of a cap."""
    head = [SECOND, FIRST if cap else SECOND]
    cells = np.concatenate((head, np.round((np.clip(face, -1, 1) / 2 + 0.5) * 255))).astype(np.uint8)
    return np.repeat(cells[_cell_of(WIDTH)][None], STRIP, axis=0)


def _cell_of(width: int) -> np.ndarray:
    return np.minimum(np.arange(width) * CELLS // width, CELLS - 1)


def _cells(picture: np.ndarray) -> Floats | None:
    """(34,) the cells of a strip at the foot of a picture; None: there is none."""
    height, width = picture.shape
    strip = round(height * STRIP / (HEIGHT + STRIP))
    if strip < 3 or width < 2 * CELLS:
        return None
    rows = picture[height - strip + strip // 3 : height - strip // 4 or None].astype(float)
    cells = np.array([np.median(rows[:, _cell_of(width) == cell]) for cell in range(CELLS)])
    steady = max(float(rows[:, _cell_of(width) == cell].std()) for cell in range(CELLS)) < 25
    return cells if steady and abs(cells[0] - SECOND) < 12 else None


def _head(picture: np.ndarray, f: Floats, ink: int, *, cap: bool) -> None:
    """Draw a head by its numbers (32,), each from -1 to 1."""
    x, y = WIDTH // 2, 112
    wide, tall = 52 + 9 * f[0], 70 + 8 * f[1]
    line = partial(_line, picture, ink)
    line(
        [
            (x + wide * np.cos(a) * (1 - 0.12 * max(np.sin(a), 0) * (1 + f[2])), y + tall * np.sin(a))
            for a in _turn(0, 360)
        ]
    )
    apart, eye_y = 21 + 4 * f[5], y - 10 + 5 * f[6]
    for side in (-1, 1):
        at = x + side * apart + 3 * f[3]
        line([(at + (9 + 2 * f[7]) * np.cos(a), eye_y + (4.5 + 1.5 * f[8]) * np.sin(a)) for a in _turn(0, 360)])
        cv2.circle(picture, (round(at + 2 * f[3]), round(eye_y)), 2, ink, -1, cv2.LINE_AA)
        brow = eye_y - 13 - 3 * f[9]
        line([(at - 11, brow + 3 * f[10] * side), (at, brow - 3 - 2 * f[11]), (at + 11, brow - 3 * f[10] * side)])
        ear = x + side * wide
        line([(ear + side * (5 + 2 * f[12]) * np.sin(a), y - 4 + 13 * np.cos(a)) for a in _turn(0, 180)])
    nose = 18 + 6 * f[13]
    line([(x + 3 * f[3], eye_y + 4), (x - (7 + 3 * f[14]) + 3 * f[3], eye_y + nose + 6), (x + 4, eye_y + nose + 8)])
    mouth_y, mouth = eye_y + nose + 24 + 3 * f[15], 18 + 5 * f[16]
    line([(x + mouth * u, mouth_y + (5 * f[17]) * (u * u - 1)) for u in np.linspace(-1, 1, 15)])
    line([(x + 0.55 * mouth * u, mouth_y + 6 + 2 * f[18] + 3 * (1 - u * u)) for u in np.linspace(-1, 1, 9)])
    if f[19] > 0.25:
        for side in (-1, 1):
            line([(x + side * apart + 13 * np.cos(a), eye_y + 11 * np.sin(a)) for a in _turn(0, 360)])
        line([(x - apart + 13, eye_y), (x + apart - 13, eye_y)])
    if f[20] > 0.2:
        for u in np.linspace(-0.8, 0.8, 15):
            bottom = y + tall * np.sqrt(1 - u * u)
            line([(x + wide * u * 0.95, bottom - 16 - 6 * f[21]), (x + wide * u * 0.92, bottom - 1)])
    if cap:
        top = y - tall
        line([(x + (wide + 4) * np.cos(a), y - 0.45 * tall + (0.62 * tall) * np.sin(a)) for a in _turn(180, 360)])
        line([(x - wide - 16, y - 0.45 * tall), (x + wide + 4, y - 0.45 * tall), (x + wide + 4, y - 0.36 * tall)])
        line([(x - wide - 16, y - 0.45 * tall), (x - wide - 12, y - 0.36 * tall), (x + wide + 4, y - 0.36 * tall)])
        cv2.circle(picture, (x, round(top - 0.02 * tall)), 3, ink, 1, cv2.LINE_AA)
    else:
        for u in np.linspace(-0.9, 0.9, 11 + round(4 * f[22])):
            foot = y - tall * np.sqrt(1 - u * u)
            line([(x + wide * u, foot), (x + wide * u * 0.85 + 9 * f[23], foot + 12 + 8 * f[24] * (1 - u * u))])
    line([(x - 17, y + tall - 4), (x - 19 - 3 * f[25], HEIGHT - 18), (x - 60 - 6 * f[26], HEIGHT - 4)])
    line([(x + 17, y + tall - 4), (x + 19 + 3 * f[25], HEIGHT - 18), (x + 60 + 6 * f[26], HEIGHT - 4)])


def _turn(first_deg: float, last_deg: float) -> Floats:
    out: Floats = np.radians(np.linspace(first_deg, last_deg, 41))
    return out


def _line(picture: np.ndarray, ink: int, points: list[tuple[float, float]]) -> None:
    shift = 4
    scaled = np.round(np.array(points) * (1 << shift)).astype(np.int32)
    cv2.polylines(
        picture, [scaled.reshape(-1, 1, 2)], isClosed=False, color=ink, thickness=1, lineType=cv2.LINE_AA, shift=shift
    )
