"""The ground that a scene plays on, drawn as a picture: flat areas in the project's own tones, with the grain of paper."""

from __future__ import annotations

from collections.abc import Sequence

import imagecodecs
import numpy as np
import shapely

Colour = tuple[int, int, int]


def draw(
    frame_px: tuple[int, int],
    ground: Colour,
    areas: Sequence[tuple[Sequence[tuple[float, float]], Colour]],
    *,
    seed: int,
) -> bytes:
    """PNG. Later areas lie over earlier ones."""
    width, height = frame_px
    picture = np.empty((height, width, 3), dtype=np.float64)
    picture[:] = ground
    x, y = np.meshgrid(np.arange(width) + 0.5, np.arange(height) + 0.5)
    for points, colour in areas:
        shape = shapely.Polygon(points)
        shapely.prepare(shape)
        picture[shapely.contains_xy(shape, x, y)] = colour
    grain = np.random.default_rng(seed).normal(0, 1.6, (height, width, 1))
    shade = 1 - 0.10 * ((x / width - 0.5) ** 2 + (y / height - 0.5) ** 2)[:, :, None]
    return bytes(imagecodecs.png_encode(np.clip(picture * shade + grain, 0, 255).astype(np.uint8)))


def bar(x0: float, y0: float, x1: float, y1: float) -> list[tuple[float, float]]:
    return [(x0, y0), (x1, y0), (x1, y1), (x0, y1)]
