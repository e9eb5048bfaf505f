"""Pictures of faces by which somebody is to be known: turned upright, measured by OpenCV."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from lantern.core.faults import Fault, Refused
from lantern.core.portraits import FINE_SIDE_PX, Measures
from lantern.formats.pictures import WANTED, picture_type, without_notes

MOST_PX = 40_000_000


def read_portrait(data: bytes) -> tuple[bytes, str, Measures]:
    """Return a picture without its notes, its media type, and what is measured of it. Raises `Refused`.

    What a camera says of how it was held is lost with the notes, so the picture is turned upright first.
    """
    kind = picture_type(data)
    plain, upright = _turned(data, kind)
    grey = cv2.cvtColor(upright, cv2.COLOR_BGR2GRAY)
    return plain, kind, measured(grey)


def _turned(data: bytes, kind: str) -> tuple[bytes, Any]:
    encoded = np.frombuffer(data, dtype=np.uint8)
    try:
        raw = cv2.imdecode(encoded, cv2.IMREAD_COLOR | cv2.IMREAD_IGNORE_ORIENTATION)
        upright = cv2.imdecode(encoded, cv2.IMREAD_COLOR)
    except cv2.error as error:
        raise Refused([Fault("picture", "cannot be read", WANTED)]) from error
    if raw is None or upright is None or raw.shape[0] * raw.shape[1] > MOST_PX:
        raise Refused([Fault("picture", "cannot be read, or is larger than any portrait", WANTED)])
    if raw.shape == upright.shape and np.array_equal(raw, upright):
        return without_notes(data), upright
    how = [cv2.IMWRITE_JPEG_QUALITY, 95] if kind == "image/jpeg" else []
    _, made = cv2.imencode(".jpg" if kind == "image/jpeg" else ".png", upright, how)
    return made.tobytes(), upright


def measured(grey: Any) -> Measures:
    """Return what is measured of a picture: (height, width) 8-bit grey."""
    height, width = grey.shape
    scale = min(1.0, FINE_SIDE_PX / min(height, width))
    size = (max(1, round(width * scale)), max(1, round(height * scale)))
    small = grey if scale == 1.0 else cv2.resize(grey, size, interpolation=cv2.INTER_AREA)
    return Measures(
        width_px=width,
        height_px=height,
        focus=float(cv2.Laplacian(small, cv2.CV_64F).var()),
        mean=float(grey.mean()),
        dark=float((grey <= 4).mean()),
        bright=float((grey >= 251).mean()),
    )
