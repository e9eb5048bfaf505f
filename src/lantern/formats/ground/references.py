"""How much an SVG drawing comes to once all that refers to another part of it is drawn: every browser and the printer draw that."""

from __future__ import annotations

import base64
import binascii
import io
import re
from xml.etree.ElementTree import Element

from PIL import Image, UnidentifiedImageError

from lantern.core.faults import Fault, Refused
from lantern.formats.ground.raster import MOST_PIXELS

DEEPEST = 100  # elements within elements
MOST_DRAWN = 200_000  # elements, each as often as it is referred to; a text counts by its letters, a path by its length
LETTERS_AN_ELEMENT = 200
INSIDE = re.compile(r"url\(\s*['\"]?#([^)'\"]+)['\"]?\s*\)")
IMAGE = re.compile(r"\s*data:image/(?:png|jpeg);base64,", re.I)
LESS = "a simpler drawing"


def size_of(reference: str) -> tuple[int, int] | None:
    """Return the size of a picture that stands in a reference itself; None: it is none, or none that can be read."""
    found = IMAGE.match(reference)
    if found is None:
        return None
    try:
        with Image.open(io.BytesIO(base64.b64decode(reference[found.end() :])), formats=("PNG", "JPEG")) as image:
            return image.width, image.height
    except (binascii.Error, UnidentifiedImageError, OSError, ValueError):
        return None


def check_depth(root: Element, name: str) -> None:
    """Raises `Refused` for a drawing that is nested deeper than anybody draws."""
    layer, deep = [root], 0
    while layer:
        if deep > DEEPEST:
            raise Refused([Fault(name, f"is nested more than {DEEPEST} elements deep", LESS)])
        layer, deep = [child for element in layer for child in element], deep + 1


def check_drawn(root: Element, name: str) -> None:
    """Raises `Refused` for a drawing that comes to more than can be drawn, refers to itself, or holds too large a picture."""
    by_id = {element.get("id"): element for element in root.iter() if element.get("id")}
    known: dict[int, int] = {}
    open_now: set[int] = set()

    def of(element: Element, deep: int) -> int:
        key = id(element)
        if key in known:
            return known[key]
        if key in open_now or deep > DEEPEST * 4:
            raise Refused([Fault(name, f"{element.get('id') or 'a part'!r} refers to itself, or too deep", LESS)])
        open_now.add(key)
        total = _weight(element, name)
        for part in [*element, *(by_id[each] for each in _referred(element) if each in by_id)]:
            total = min(total + of(part, deep + 1), MOST_DRAWN + 1)
        open_now.discard(key)
        known[key] = total
        return total

    if of(root, 0) > MOST_DRAWN:
        raise Refused(
            [Fault(name, f"comes to more than {MOST_DRAWN} elements once all its references are drawn", LESS)]
        )


def _referred(element: Element) -> list[str]:
    """Return the ids that an element refers to; those of a style sheet are drawn with whatever has the style, and count once."""
    out = []
    for key, value in element.attrib.items():
        if key.rsplit("}", 1)[-1] == "href" and value.strip().startswith("#"):
            out.append(value.strip()[1:])
        out += INSIDE.findall(value)
    return out + (INSIDE.findall(element.text) if element.text and element.tag.endswith("style") else [])


def _weight(element: Element, name: str) -> int:
    letters = len(element.text or "") + sum(len(value) for value in element.attrib.values() if not IMAGE.match(value))
    for value in element.attrib.values():
        if (size := size_of(value)) and size[0] * size[1] > MOST_PIXELS:
            raise Refused([Fault(name, f"holds a picture of {size[0]} x {size[1]} pixels", f"at most {MOST_PIXELS}")])
    return 1 + letters // LETTERS_AN_ELEMENT
