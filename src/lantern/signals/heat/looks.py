"""A first look at thermal pictures: a TIFF of many pages, or a zip of CSV matrices."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from lantern.core.signals import Pixels
from lantern.signals.heat.matrices import Matrices
from lantern.signals.heat.tiff import TiffShape, check_tiff, read_blocks
from lantern.signals.looks import FRAME_RATE, Look, Question, Unread

SCRIPT = "/static/signals/heat/look.js"
SCALE = (Question("scale", "°C = raw x"), Question("offset", "plus"))
DRAWN_PX = 96
RAW_SCALES = ((0.01, -273.15), (0.04, -273.15), (0.1, -273.15))  # of counts that are kelvin; common practice, no source
LIKELY_C = (-40.0, 160.0)


def look_at_pages(unread: Unread) -> Look:
    path = unread.path
    shape = check_tiff(path, unread.limits)
    page = _one_page(path, shape)
    guess: dict[str, Any] = {"scale": 1.0, "offset": 0.0}
    if shape.dtype == "uint16":
        guess = dict(zip(("scale", "offset"), _likely_scale(page), strict=True))
    times = [name for name in unread.beside if name.lower().endswith(".csv")]
    facts = [f"{shape.pages} pages of {shape.width} x {shape.height} pixels, {shape.dtype}"]
    facts.append(f"the page in the middle: raw {page.min():g} to {page.max():g}")
    return _of_frames(page, shape.pages, facts, guess, times=times[:1], asked=SCALE)


def _one_page(path: Path, shape: TiffShape) -> Pixels:
    """The page in the middle."""
    middle = shape.pages // 2
    alone = TiffShape(shape.places[middle : middle + 1], shape.width, shape.height, shape.dtype)
    page: Pixels = next(read_blocks(path, alone))[0]
    return page


def _likely_scale(page: Pixels) -> tuple[float, float]:
    for scale, offset in RAW_SCALES:
        if LIKELY_C[0] < float(np.median(page)) * scale + offset < LIKELY_C[1]:
            return scale, offset
    return RAW_SCALES[0]


def look_at_matrices(unread: Unread) -> Look:
    matrices = Matrices(unread.path, unread.limits)
    page = next(matrices.blocks())[0]
    facts = [
        f"{len(matrices)} CSV matrices of {matrices.width} x {matrices.height} values, in the order of their names"
    ]
    facts.append(f"the first: {page.min():g} to {page.max():g}, taken for °C")
    return _of_frames(page, len(matrices), facts, {}, times=[], asked=())


def _of_frames(
    page: Pixels,
    count: int,
    facts: list[str],
    guess: dict[str, Any],
    *,
    times: Sequence[str],
    asked: Sequence[Question],
) -> Look:
    step = max(1, -(-max(page.shape) // DRAWN_PX))
    small = page[::step, ::step]
    height, width = page.shape
    drawn = {"script": SCRIPT, "raw": small.tolist(), "low": float(page.min()), "high": float(page.max())}
    guess = guess | {"width": width, "height": height}
    wanted = [*([] if times else [FRAME_RATE]), *asked]
    given = {"times": times[0]} if times else {}
    return Look(("heat",), facts, guess, {"heat": wanted}, {"heat": drawn}, count, given=given)
