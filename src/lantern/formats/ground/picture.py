"""What is brought as the ground of a plan: PNG, JPEG, a page of a PDF, an SVG, a DXF. It becomes a picture that a browser draws."""

from __future__ import annotations

import hashlib
import io
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import PurePath

from PIL import Image, ImageOps

from lantern.core.faults import Fault, Refused
from lantern.formats.border import border
from lantern.formats.limits import DEFAULT, Limits

MOST_PIXELS = 60_000_000
ANY = "a PNG, a JPEG, a PDF, an SVG or a DXF file"
Outline = tuple[bool, Sequence[tuple[float, float]]]  # whether its last corner is joined to its first, and its corners
SUFFIXES = {"image/png": ".png", "image/jpeg": ".jpg", "image/svg+xml": ".svg"}


@dataclass(frozen=True)
class Ground:
    """A ground picture. A vector drawing's "pixels" are the units of its view box.

    `metres_per_px`: where the file says its scale by itself. `paper_mm_per_px`: where it says how large it is on paper, so that
    1 : N gives the scale. `said`: what was left out or changed, in words. `outlines`: of a drawing, by its layers, in the same units
    from the lower left corner, for whoever makes buildings of them.
    """

    name: str
    media: str
    data: bytes
    width_px: float
    height_px: float
    metres_per_px: float | None = None
    paper_mm_per_px: float | None = None
    pages: int = 1
    outlines: Mapping[str, Sequence[Outline]] = field(default_factory=dict)
    said: Sequence[str] = ()


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
    from lantern.formats.ground import dxf, pdf, svg  # each loads a library that most calls do without

    head = data[:1024].lstrip(b"\xef\xbb\xbf \t\r\n")
    if head.startswith((b"\x89PNG\r\n\x1a\n", b"\xff\xd8\xff")):
        return _raster
    if head.startswith(b"%PDF-"):
        return lambda data, name: pdf.page_of(data, name, page)
    if dxf.is_binary(data) or re.match(rb"(999\s|\s*0\s+SECTION)", head):
        return dxf.drawing_of
    if b"<svg" in data[:65_536] and head.startswith(b"<"):
        return svg.drawing_of
    return None


def _raster(data: bytes, name: str) -> Ground:
    said: list[str] = []
    with Image.open(io.BytesIO(data), formats=("PNG", "JPEG")) as image:
        media = Image.MIME[image.format or ""]
        if image.width * image.height > MOST_PIXELS:
            what = f"{image.width} x {image.height} pixels"
            raise Refused([Fault(name, what, f"at most {MOST_PIXELS} pixels: scale it down first")])
        image.load()
        upright = ImageOps.exif_transpose(image)
        turned = image.getexif().get(0x0112, 1) != 1
        if turned or upright.mode not in ("RGB", "RGBA", "L", "LA", "P", "1"):
            said.append("was turned as its camera says, and stored anew" if turned else "has its colours as RGB now")
            out = io.BytesIO()
            upright.convert("RGB").save(out, "PNG" if media == "image/png" else "JPEG", quality=92)
            data = out.getvalue()
        return Ground(name, media, data, upright.width, upright.height, said=said)


def _named(name: str, found: Ground) -> str:
    """Its own name with a few letters of what it holds, so that another picture has another name."""
    stem = re.sub(r"[^\w.-]+", "-", PurePath(name.replace("\\", "/")).stem).strip("-.")[:60] or "ground"
    stem = re.sub(r"-[0-9a-f]{8}$", "", stem)
    return f"{stem}-{hashlib.sha256(found.data).hexdigest()[:8]}{SUFFIXES[found.media]}"
