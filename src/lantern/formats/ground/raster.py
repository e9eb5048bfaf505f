"""Ground pictures of pixels: PNG and JPEG, upright and in colours that browsers show."""

from __future__ import annotations

import io

from PIL import Image, ImageOps

from lantern.core.faults import Fault, Refused
from lantern.formats.ground.ground import Ground

MOST_PIXELS = 60_000_000


def picture_of(data: bytes, name: str) -> Ground:
    """Return the picture of a PNG or JPEG file. Raises `Refused` for one too large."""
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
