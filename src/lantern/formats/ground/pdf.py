"""One page of a PDF as a picture, at the resolution of a good print."""

from __future__ import annotations

import io

import pypdfium2

from lantern.core.faults import Fault, Refused
from lantern.formats.ground.ground import Ground

DPI, LONGEST_PX = 200.0, 6000.0
POINT_MM = 25.4 / 72
LARGEST_PT = 14_400.0  # of a page, either way: ISO 32000-1, annex C, from memory
MOST_OBJECTS, DEEPEST = 200_000, 8


def page_of(data: bytes, name: str, page: int) -> Ground:
    """`page` counts from 1. Raises `Refused` for one that is not there."""
    document = pypdfium2.PdfDocument(data)
    try:
        count = len(document)
        if not 1 <= page <= count:
            raise Refused([Fault(name, f"has no page {page}", f"a page from 1 to {count}")])
        held = document[page - 1]
        check_page(held, name)
        width_pt, height_pt = held.get_size()
        scale = min(DPI / 72, LONGEST_PX / max(width_pt, height_pt, 1.0))
        picture = held.render(scale=scale).to_pil().convert("RGB")
    finally:
        document.close()
    out = io.BytesIO()
    picture.save(out, "PNG", optimize=False)
    paper = width_pt * POINT_MM / picture.width
    said = [f"page {page} of {count}, {72 * scale:.0f} dots an inch"]
    return Ground(
        name, "image/png", out.getvalue(), picture.width, picture.height, paper_mm_per_px=paper, pages=count, said=said
    )


def check_page(page: pypdfium2.PdfPage, name: str) -> None:
    """Raises `Refused` for a page that is larger than a page may be, or draws more than can be drawn."""
    left, bottom, right, top = page.get_mediabox(fallback_ok=False) or (0.0, 0.0, 1.0, 1.0)
    width, height = abs(right - left), abs(top - bottom)
    if max(width, height) > LARGEST_PT:
        raise Refused([Fault(name, f"a page of {width:g} by {height:g} points", f"at most {LARGEST_PT:g} either way")])
    for count, _ in enumerate(page.get_objects(max_depth=DEEPEST)):
        if count >= MOST_OBJECTS:
            raise Refused(
                [Fault(name, f"draws more than {MOST_OBJECTS} objects", "a simpler page, or a picture of it")]
            )
