"""What a PTZ that is none sees: a repair yard by the water, drawn in perspective, with people and a lorry that go about in it."""

from __future__ import annotations

import io
import math
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from PIL import Image, ImageDraw, ImageFilter

from lantern.core.signals import Floats
from lantern.standins.ptz.body import SENSOR_MM, Body
from lantern.standins.ptz.device import OVERVIEW, SIZES, TURNED
from lantern.standins.ptz.hiding import Hidden

EYE = np.array([312.0, 128.0, 10.0])  # where it stands on the made-up site, and how high
NORTH_OFFSET_DEG = 47.0  # its own pan 0 looks that far clockwise from north: nobody tells it, it is to be found
OVERVIEW_LOOKS = (138.0, 14.0)  # pan of the site and tilt of the body that does not turn
OVERVIEW_MM = 2.8
SKY, LAND, WATER, LINE = (201, 212, 219), (214, 206, 188), (160, 181, 194), (120, 112, 98)
MASKED = (38, 42, 46)
MASK_AT_M = 100.0  # so far away its corners are drawn: any, for it hides directions
NEAR_M = 0.3
# corners of a footprint, height, colour
BUILT = (
    (((300, 146), (372, 146), (372, 186), (300, 186)), 8.0, (142, 132, 120)),
    (((262, 128), (286, 128), (286, 137), (262, 137)), 2.6, (150, 92, 70)),
    (((236, 194), (262, 194), (262, 214), (236, 214)), 6.0, (170, 164, 152)),
    (((330, 226), (342, 226), (342, 236), (330, 236)), 3.0, (176, 168, 150)),
    (((335, 99), (340, 99), (340, 96), (335, 96)), 2.6, (96, 110, 120)),
    (((430, 166), (444, 166), (444, 182), (430, 182)), 9.0, (176, 150, 132)),  # of neighbours, beyond the yard
)
WINDOW = ((430.0, 172.0, 4.0), (430.0, 176.0, 4.0), (430.0, 176.0, 5.5), (430.0, 172.0, 5.5))  # of theirs
GLASS = (92, 122, 138)
BASIN = ((230, 116), (300, 110), (330, 86), (420, 80), (420, 0), (230, 0))
# of who goes about: from, to, m/s, width and height of what is drawn, colour
WAYS = (
    ((290, 150), (290, 190), 1.2, (0.6, 1.75), (60, 70, 92)),
    ((345, 84), (350, 130), 1.1, (0.6, 1.8), (120, 58, 48)),
    ((270, 160), (330, 140), 1.4, (0.6, 1.7), (52, 92, 80)),
    ((262, 180), (390, 190), 5.0, (6.0, 2.8), (176, 140, 60)),
)


def _joints() -> list[Floats]:
    """The joints between the yard's slabs, 10 m each way, in pieces."""
    out = []
    for x in range(240, 421, 10):
        for y in range(118, 240, 10):
            out += [np.array([(x, y, 0.0), (x + 10, y, 0.0)]), np.array([(x, y, 0.0), (x, y + 10, 0.0)])]
    return out


def _marked() -> list[tuple[Floats, tuple[int, int, int]]]:
    """Stains and painted marks on the ground, none like another: what a picture is known again by."""
    rng = np.random.default_rng(7)
    out = []
    for _ in range(260):
        x, y = rng.uniform((235, 90), (420, 240))
        turn, sizes = rng.uniform(0, np.pi), rng.uniform(0.3, 1.6, 5)
        angles = turn + np.arange(5) * 2 * np.pi / 5
        corners = np.column_stack((x + sizes * np.cos(angles), y + sizes * np.sin(angles), np.zeros(5)))
        shade = int(rng.integers(60, 240))
        out.append((corners, (shade, int(shade * 0.95), int(shade * 0.85))))
    return out


JOINTS, MARKED = _joints(), _marked()


@dataclass(frozen=True)
class Look:
    """A direction on the site, and a lens: pixels for a slope of 1."""

    pan_deg: float
    tilt_deg: float
    f_px: float
    size: tuple[int, int]

    def seen(self, points: Floats) -> Floats:
        """(n, 3) of places on the site: to the right, down, ahead, m."""
        p, t = math.radians(self.pan_deg), math.radians(self.tilt_deg)
        ahead = np.array([math.sin(p) * math.cos(t), math.cos(p) * math.cos(t), -math.sin(t)])
        right = np.array([math.cos(p), -math.sin(p), 0.0])
        out: Floats = (points - EYE) @ np.stack([right, np.cross(ahead, right), ahead]).T
        return out

    def places(self, points: Sequence[tuple[float, float]]) -> Floats:
        """(n, 3): what lies far away at places of the picture, -1 to 1 to the right and up."""
        width, height = self.size
        p, t = math.radians(self.pan_deg), math.radians(self.tilt_deg)
        ahead = np.array([math.sin(p) * math.cos(t), math.cos(p) * math.cos(t), -math.sin(t)])
        right = np.array([math.cos(p), -math.sin(p), 0.0])
        x, y = np.array(points).T
        down = np.cross(ahead, right)
        rays = ahead + np.outer(x * width / 2 / self.f_px, right) - np.outer(y * height / 2 / self.f_px, down)
        out: Floats = EYE + MASK_AT_M * rays
        return out

    def drawn(self, corners: Floats) -> list[tuple[float, float]]:
        """A polygon of the site in pixels, cut off before the eye; nothing where all of it lies behind."""
        held = self.seen(corners)
        out: list[tuple[float, float]] = []
        for one, other in zip(held, np.roll(held, -1, axis=0), strict=True):
            if one[2] > NEAR_M:
                out.append(self._pixel(one))
            if (one[2] > NEAR_M) != (other[2] > NEAR_M):
                share = (NEAR_M - one[2]) / (other[2] - one[2])
                out.append(self._pixel(one + share * (other - one)))
        return out

    def _pixel(self, point: Floats) -> tuple[float, float]:
        width, height = self.size
        return width / 2 + self.f_px * point[0] / point[2], height / 2 + self.f_px * point[1] / point[2]


def look_of(body: Body, channel: str) -> Look:
    size = SIZES[channel]
    if channel == OVERVIEW:
        return Look(*OVERVIEW_LOOKS, size[0] * OVERVIEW_MM / body.sensor_mm[0], size)
    return Look(body.pan.at + NORTH_OFFSET_DEG, body.tilt.at, size[0] * body.focal_mm / body.sensor_mm[0], size)


Standing = tuple[tuple[float, float], tuple[float, float], tuple[int, int, int]]  # place, width and height, colour


def nobody() -> Iterable[Standing]:
    return ()


def painter(
    seconds: Callable[[], float], others: Callable[[], Iterable[Standing]] = nobody
) -> Callable[[Body, str, Sequence[Hidden]], bytes]:
    """Return what draws a channel as a PNG, with everybody where they are then, and `others`."""

    def draw(body: Body, channel: str, masks: Sequence[Hidden] = ()) -> bytes:
        look = look_of(body, channel)
        picture = _ground(look)
        pen = ImageDraw.Draw(picture)
        for polygon, colour in sorted(
            _things([*standing(seconds()), *others()]),
            key=lambda each: -float(np.linalg.norm(each[0].mean(axis=0) - EYE)),
        ):
            pixels = look.drawn(polygon)
            if len(pixels) > 2:
                pen.polygon(pixels, fill=colour, outline=tuple(int(c * 0.7) for c in colour))
        if channel != OVERVIEW and body.blur_px > 0.5:
            picture = picture.filter(ImageFilter.GaussianBlur(body.blur_px))
        pen = ImageDraw.Draw(picture)
        for mask in masks:
            pixels = look.drawn(look_of_mask(mask).places(mask.points))
            if len(pixels) > 2:
                pen.polygon(pixels, fill=MASKED)
        out = io.BytesIO()
        picture.save(out, "PNG", compress_level=1)
        return out.getvalue()

    return draw


def look_of_mask(mask: Hidden) -> Look:
    """How it looked when the mask was drawn."""
    size = SIZES[TURNED]
    return Look(mask.pan_deg + NORTH_OFFSET_DEG, mask.tilt_deg, size[0] * mask.focal_mm / SENSOR_MM[0], size)


def _ground(look: Look) -> Image.Image:
    picture = Image.new("RGB", look.size, SKY)
    pen = ImageDraw.Draw(picture)
    far = 2000.0
    corners = EYE + far * np.array([[1, 1, 0], [1, -1, 0], [-1, -1, 0], [-1, 1, 0]])
    corners[:, 2] = 0.0
    for polygon, colour in ((corners, LAND), (np.array([(*point, 0.0) for point in BASIN]), WATER)):
        pixels = look.drawn(polygon)
        if len(pixels) > 2:
            pen.polygon(pixels, fill=colour)
    for corners, colour in MARKED:
        pixels = look.drawn(corners)
        if len(pixels) > 2:
            pen.polygon(pixels, fill=colour)
    for line in JOINTS:
        seen = look.seen(line)
        if (seen[:, 2] > NEAR_M).all():
            pen.line([look._pixel(point) for point in seen], fill=LINE, width=1)
    return picture


def _things(people: Iterable[Standing]) -> Iterator[tuple[Floats, tuple[int, int, int]]]:
    """(corners (n, 3), colour) of every face that is drawn."""
    for footprint, height, colour in BUILT:
        base = np.array([(*corner, 0.0) for corner in footprint])
        top = base + np.array((0.0, 0.0, height))
        yield top, tuple(min(c + 24, 255) for c in colour)  # type: ignore[misc]
        for at in range(len(base)):
            after = (at + 1) % len(base)
            shade = 0.82 if at % 2 else 1.0
            yield np.array([base[at], base[after], top[after], top[at]]), tuple(int(c * shade) for c in colour)  # type: ignore[misc]
    yield np.array(WINDOW) - (0.05, 0.0, 0.0), GLASS
    for place, (wide, tall), colour in people:
        x, y = place
        across = np.array([y - EYE[1], -(x - EYE[0])])
        across = across / np.linalg.norm(across) * wide / 2
        left, right = (x - across[0], y - across[1]), (x + across[0], y + across[1])
        yield np.array([(*left, 0.0), (*right, 0.0), (*right, tall), (*left, tall)]), colour


def standing(t: float) -> Iterator[Standing]:
    """(place on the site, width and height, colour) of everybody at a time: each goes to and fro."""
    for (x0, y0), (x1, y1), speed, size, colour in WAYS:
        length = math.hypot(x1 - x0, y1 - y0)
        share = abs((speed * t / length) % 2 - 1)
        yield (x0 + share * (x1 - x0), y0 + share * (y1 - y0)), size, colour
