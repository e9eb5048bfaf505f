"""An SVG drawing, with nothing in it but what is drawn: no scripts, no references to elsewhere, no animation."""

from __future__ import annotations

import re
from collections import Counter
from xml.etree.ElementTree import Element, register_namespace, tostring

from defusedxml.ElementTree import fromstring

from lantern.core.faults import Fault, Refused
from lantern.formats.ground.ground import Ground
from lantern.formats.ground.references import check_depth, check_drawn, size_of

SPACE, LINK = "http://www.w3.org/2000/svg", "http://www.w3.org/1999/xlink"
DRAWN = frozenset({
    "svg", "g", "defs", "symbol", "use", "path", "rect", "circle", "ellipse", "line", "polyline", "polygon", "text", "tspan",
    "textPath", "title", "desc", "style", "image", "marker", "clipPath", "mask", "pattern", "linearGradient", "radialGradient",
    "stop", "switch",
})  # fmt: skip
MM = {"mm": 1.0, "cm": 10.0, "in": 25.4, "pt": 25.4 / 72, "pc": 25.4 / 6, "m": 1000.0}  # lengths on paper; px is none
LENGTH = re.compile(r"\s*([0-9.eE+-]+)\s*([a-z%]*)\s*$")
ELSEWHERE = re.compile(
    r"url\(\s*['\"]?(?!#|data:image/(?:png|jpeg);)[^)]*\)|@import[^;]*;?|expression\s*\([^)]*\)", re.I
)
INLINE = re.compile(r"(#|data:image/(png|jpeg);base64,)", re.I)


def drawing_of(data: bytes, name: str) -> Ground:
    """Return the drawing as it is kept. Raises `Refused` where it has no size."""
    root = fromstring(data, forbid_dtd=False, forbid_entities=True, forbid_external=True)
    if root.tag not in ("svg", f"{{{SPACE}}}svg"):
        raise Refused([Fault(name, f"begins with <{_local(root.tag)}>", "an SVG drawing")])
    check_depth(root, name)
    dropped: Counter[str] = Counter()
    _clean(root, dropped)
    check_drawn(root, name)
    box, paper = _size(root, name)
    root.set("viewBox", " ".join(plain(value) for value in box))
    root.set("width", plain(box[2]))
    root.set("height", plain(box[3]))
    said = [f"left out: {', '.join(f'{count} x {what}' for what, count in sorted(dropped.items()))}"] if dropped else []
    return Ground(name, "image/svg+xml", written(root), box[2], box[3], paper_mm_per_px=paper, said=said)


def plain(value: float) -> str:
    """A number as every reader of SVG takes it: without an exponent."""
    return f"{value:.6f}".rstrip("0").rstrip(".")


def written(root: Element) -> bytes:
    """The drawing as a file, with the standard's own prefixes."""
    for element in root.iter():
        if "}" not in element.tag:
            element.tag = f"{{{SPACE}}}{element.tag}"
    register_namespace("", SPACE)
    register_namespace("xlink", LINK)
    data: bytes = tostring(root, encoding="utf-8", xml_declaration=True)
    return data


def _clean(element: Element, dropped: Counter[str]) -> None:
    for child in list(element):
        if not isinstance(child.tag, str):  # a comment
            element.remove(child)
        elif _local(child.tag) not in DRAWN or (child.tag.startswith("{") and not child.tag.startswith(f"{{{SPACE}}}")):
            if child.tag.startswith(f"{{{SPACE}}}") or "}" not in child.tag:
                dropped[f"<{_local(child.tag)}>"] += 1
            element.remove(child)  # what an editor notes for itself goes without a word
        else:
            _clean(child, dropped)
    for key in list(element.attrib):
        value, local = element.attrib[key], _local(key)
        if local.lower().startswith("on"):
            dropped["a script of an event"] += 1
            del element.attrib[key]
        elif local in ("href", "src") and not INLINE.match(value.strip()):
            dropped["a reference to elsewhere"] += 1
            del element.attrib[key]
        elif value.strip()[:5].lower() == "data:" and size_of(value) is None:
            dropped["a picture that cannot be read"] += 1
            del element.attrib[key]
        elif "}" in key and not key.startswith((f"{{{LINK}}}", "{http://www.w3.org/XML/1998/namespace}")):
            del element.attrib[key]
        elif ELSEWHERE.search(value):
            dropped["a reference to elsewhere"] += 1
            element.attrib[key] = ELSEWHERE.sub("none", value)
    if _local(element.tag) == "style" and element.text and ELSEWHERE.search(element.text):
        dropped["a reference to elsewhere"] += len(ELSEWHERE.findall(element.text))
        element.text = ELSEWHERE.sub("none", element.text)


def _size(root: Element, name: str) -> tuple[tuple[float, float, float, float], float | None]:
    """The view box, and mm of paper for one of its units where the drawing says how large it is on paper."""
    lengths = [_length(root.get(key)) for key in ("width", "height")]
    held = [float(part) for part in re.split(r"[\s,]+", root.get("viewBox", "").strip()) if part]
    if len(held) == 4:
        box = (held[0], held[1], held[2], held[3])
    elif lengths[0] and lengths[1]:
        box = (0.0, 0.0, lengths[0][0], lengths[1][0])
    else:
        raise Refused(
            [Fault(name, "has neither a viewBox nor a width and height", "a drawing that says how large it is")]
        )
    paper = None
    if lengths[0] is not None and lengths[0][1] in MM and box[2] > 0:
        paper = lengths[0][0] * MM[lengths[0][1]] / box[2]
    return box, paper


def _length(text: str | None) -> tuple[float, str] | None:
    found = LENGTH.match(text or "")
    return (float(found[1]), found[2]) if found and found[2] != "%" else None


def _local(tag: str) -> str:
    return tag.rsplit("}", 1)[-1]
