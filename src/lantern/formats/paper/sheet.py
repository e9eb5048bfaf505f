"""A sheet of paper that is drawn as SVG in millimetres, and goes out as SVG, PDF or PNG, each as large as the paper."""

from __future__ import annotations

import io
import os
from dataclasses import dataclass
from pathlib import Path
from typing import Literal
from xml.etree.ElementTree import Element, SubElement, tostring

from PIL import Image

from lantern.formats.border import border

PAPERS = {
    "A4": (297.0, 210.0),
    "A3": (420.0, 297.0),
    "A2": (594.0, 420.0),
    "A1": (841.0, 594.0),
}  # ISO 216, landscape, mm
PNG_DPI = 150
MEDIA = {"svg": "image/svg+xml", "pdf": "application/pdf", "png": "image/png"}
FONT = "Barlow Condensed Medium, Barlow Condensed, Arial Narrow, sans-serif"
FONTS = Path(__file__).with_name("fonts.conf")
Format = Literal["svg", "pdf", "png"]


@dataclass
class Sheet:
    """Drawn from its top left corner, in mm."""

    width_mm: float
    height_mm: float

    def __post_init__(self) -> None:
        size = {"width": f"{self.width_mm:g}mm", "height": f"{self.height_mm:g}mm"}
        box = f"0 0 {self.width_mm:g} {self.height_mm:g}"
        names = {"xmlns": "http://www.w3.org/2000/svg", "xmlns:xlink": "http://www.w3.org/1999/xlink"}
        self.root = Element("svg", {**names, **size, "viewBox": box, "font-family": FONT})
        self.add("rect", x=0, y=0, width=self.width_mm, height=self.height_mm, fill="#ffffff")

    def add(self, tag: str, parent: Element | None = None, text: str = "", **attributes: object) -> Element:
        """`_` in a name stands for `-`; numbers are written to a hundredth of a mm."""
        written = {key.replace("_", "-"): _said(value) for key, value in attributes.items() if value is not None}
        made = SubElement(self.root if parent is None else parent, tag, written)
        made.text = text or None
        return made

    def words(
        self, x: float, y: float, text: str, *, size: float = 3.2, parent: Element | None = None, **rest: object
    ) -> Element:
        return self.add("text", parent, text, x=x, y=y, font_size=size, **{"fill": "#22303a", **rest})

    def clip(self, x: float, y: float, width: float, height: float) -> Element:
        """A group of which only what lies in a rectangle is drawn."""
        name = f"clip-{len(self.root)}"
        self.add("rect", self.add("clipPath", id=name), x=x, y=y, width=width, height=height)
        return self.add("g", clip_path=f"url(#{name})")

    def as_file(self, form: Format) -> bytes:
        """The sheet as SVG, as a PDF of its size, or as a PNG that says its dots an inch."""
        svg: bytes = tostring(self.root, encoding="utf-8", xml_declaration=True)
        if form == "svg":
            return svg
        os.environ.setdefault("FONTCONFIG_FILE", str(FONTS))  # read once, when the first letter is drawn
        import cairosvg  # takes the system's library, which nothing else needs

        with border("paper", "a plan without a ground picture that cannot be printed; as SVG it goes out all the same"):
            if form == "pdf":
                return bytes(cairosvg.svg2pdf(bytestring=svg))
            with Image.open(io.BytesIO(cairosvg.svg2png(bytestring=svg, dpi=PNG_DPI))) as picture:
                out = io.BytesIO()
                picture.convert("RGB").save(out, "PNG", dpi=(PNG_DPI, PNG_DPI))
            return out.getvalue()


def _said(value: object) -> str:
    if isinstance(value, float):
        return f"{value:.3f}".rstrip("0").rstrip(".")
    return str(value)
