"""Ground pictures from outside: the format is told by what a file begins with."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable
from dataclasses import replace
from pathlib import PurePath

from lantern.core.faults import Fault, Refused
from lantern.formats.border import border
from lantern.formats.ground.ground import Ground
from lantern.formats.limits import DEFAULT, Limits

ANY = "a PNG, a JPEG, a PDF, an SVG or a DXF file"
SUFFIXES = {"image/png": ".png", "image/jpeg": ".jpg", "image/svg+xml": ".svg"}


def read_ground(data: bytes, *, name: str, page: int = 1, limits: Limits = DEFAULT) -> Ground:
    """Return the ground picture that a file holds, by what it begins with. `page`: of a PDF, from 1. Raises `Refused`."""
    if len(data) > limits.still_bytes:
        what = f"{len(data)} bytes"
        raise Refused([Fault(name, what, f"at most {limits.still_bytes} (the limit is a setting)")])
    read = _reader(data, page)
    if read is None:
        raise Refused([Fault(name, "is none of the formats of a ground picture", ANY)])
    with border(name, ANY):
        found = read(data, name)
    if not (0 < found.width_px < 1e9 and 0 < found.height_px < 1e9):
        raise Refused(
            [Fault(name, f"is {found.width_px:g} by {found.height_px:g}", "a picture with a width and a height")]
        )
    return replace(found, name=_named(name, found))


def _reader(data: bytes, page: int) -> Callable[[bytes, str], Ground] | None:
    from lantern.formats.ground import dxf, pdf, raster, svg  # each loads a library that most calls do without

    head = data[:1024].lstrip(b"\xef\xbb\xbf \t\r\n")
    if head.startswith((b"\x89PNG\r\n\x1a\n", b"\xff\xd8\xff")):
        return raster.picture_of
    if head.startswith(b"%PDF-"):
        return lambda data, name: pdf.page_of(data, name, page)
    if dxf.is_binary(data) or re.match(rb"(999\s|\s*0\s+SECTION)", head):
        return dxf.drawing_of
    if b"<svg" in data[:65_536] and head.startswith(b"<"):
        return svg.drawing_of
    return None


def _named(name: str, found: Ground) -> str:
    """Its own name with a few letters of what it holds, so that another picture has another name."""
    stem = re.sub(r"[^\w.-]+", "-", PurePath(name.replace("\\", "/")).stem).strip("-.")[:60] or "ground"
    stem = re.sub(r"-[0-9a-f]{8}$", "", stem)
    return f"{stem}-{hashlib.sha256(found.data).hexdigest()[:8]}{SUFFIXES[found.media]}"
