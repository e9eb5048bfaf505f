"""Ground pictures: each format in, its size and scale, what is left out of it, and what no picture can be made of."""

from __future__ import annotations

import io
from pathlib import Path

import ezdxf
import pytest
from ezdxf.enums import InsertUnits
from PIL import Image

from lantern.core.faults import Refused
from lantern.formats.ground.picture import read_ground
from lantern.formats.limits import Limits

SVG = b"""<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="420mm" height="260mm"
 viewBox="0 0 840 520" onload="alert(1)"><script>alert(2)</script><style>@import url(http://x.test/a.css); .a{fill:url(#g)}</style>
 <foreignObject><body xmlns="http://www.w3.org/1999/xhtml">x</body></foreignObject><image xlink:href="http://x.test/a.png"/>
 <image href="data:image/png;base64,AAAA"/><rect class="a" width="5" height="5" style="fill:url(http://x.test/b)" onclick="x()"/>
 <set attributeName="href" to="javascript:x()"/><use href="#g"/></svg>"""


def drawing(unit: int, *, size: float = 40.0) -> bytes:
    document = ezdxf.new("R2010")
    document.header["$INSUNITS"] = unit
    space = document.modelspace()
    space.add_lwpolyline(
        [(1000, 2000), (1000 + size, 2000), (1000 + size, 2000 + size / 2), (1000, 2000 + size / 2)], close=True
    )
    space.add_circle((1000 + size / 2, 2000 + size / 4), size / 10)
    space.add_text("hall", height=size / 20).set_placement((1000 + size / 4, 2000 + size / 4))
    out = io.StringIO()
    document.write(out)
    return out.getvalue().encode()


def raster(form: str, size: tuple[int, int] = (60, 40), **more: object) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", size, "white").save(out, form, **more)
    return out.getvalue()


# metres a unit of $INSUNITS: the DXF reference's table, from memory (4 mm, 5 cm, 6 m, 2 feet)
@pytest.mark.parametrize(("unit", "metres"), [(4, 0.001), (5, 0.01), (6, 1.0), (2, 0.3048)])
def test_a_dxf_is_as_large_as_its_header_says(unit: int, metres: float) -> None:
    found = read_ground(drawing(unit), name="hall.dxf")
    assert found.media == "image/svg+xml"
    assert found.metres_per_px is not None
    assert found.metres_per_px * found.width_px == pytest.approx(40 * metres)
    assert found.metres_per_px * found.height_px == pytest.approx(20 * metres)
    assert b"<path" in found.data


def test_the_outlines_of_a_dxf_come_by_their_layers_in_the_pictures_units() -> None:
    document = ezdxf.new("R2010")
    document.header["$INSUNITS"] = 6
    space = document.modelspace()
    space.add_lwpolyline([(10, 20), (50, 20), (50, 40), (10, 40)], close=True, dxfattribs={"layer": "SHEDS"})
    space.add_line((10, 20), (30, 30), dxfattribs={"layer": "FENCE"})
    out = io.StringIO()
    document.write(out)
    found = read_ground(out.getvalue().encode(), name="x.dxf")
    assert set(found.outlines) == {"SHEDS", "FENCE"}
    assert found.metres_per_px is not None
    [(closed, corners)] = found.outlines["SHEDS"]
    metres = [(round(x * found.metres_per_px, 6), round(y * found.metres_per_px, 6)) for x, y in corners]
    assert (closed, metres) == (True, [(0, 0), (40, 0), (40, 20), (0, 20)])
    [(open_, ends)] = found.outlines["FENCE"]
    assert not open_
    assert ends[1][0] * found.metres_per_px == pytest.approx(20)


def test_a_binary_dxf_is_read_as_the_other_form_is(tmp_path: Path) -> None:
    document = ezdxf.new("R2010")
    document.header["$INSUNITS"] = 6
    document.modelspace().add_lwpolyline([(0, 0), (40, 0), (40, 20)], close=True)
    document.saveas(tmp_path / "x.dxf", fmt="bin")
    found = read_ground((tmp_path / "x.dxf").read_bytes(), name="x.dxf")
    assert found.metres_per_px is not None
    assert found.metres_per_px * found.width_px == pytest.approx(40)


def test_a_dxf_without_a_unit_says_so_and_has_no_scale() -> None:
    found = read_ground(drawing(InsertUnits.Unitless), name="hall.dxf")
    assert found.metres_per_px is None
    assert "$INSUNITS" in found.said[0]


def test_an_svg_is_stripped_and_stays_as_it_is_when_read_again() -> None:
    found = read_ground(SVG, name="../quay plan.svg")
    for gone in (b"script", b"alert", b"x.test", b"foreignObject", b"onclick", b"onload", b"<set", b"javascript"):
        assert gone not in found.data
    for kept in (b"data:image/png", b"url(#g)", b'href="#g"', b"<rect"):
        assert kept in found.data
    assert "2 x a script of an event" in found.said[0]
    assert (found.width_px, found.height_px, found.paper_mm_per_px) == (840, 520, 0.5)
    assert found.name.startswith("quay-plan-")
    again = read_ground(found.data, name=found.name)
    assert (again.data, again.name, again.said) == (found.data, found.name, [])


def test_a_page_of_a_pdf_says_its_size_on_paper() -> None:
    pages = [Image.new("RGB", (200, 100), colour) for colour in ("white", "black")]
    out = io.BytesIO()
    pages[0].save(out, "PDF", resolution=50, save_all=True, append_images=pages[1:])  # 101.6 mm wide
    found = read_ground(out.getvalue(), name="site.pdf", page=2)
    assert (found.media, found.pages) == ("image/png", 2)
    assert found.paper_mm_per_px is not None
    assert found.paper_mm_per_px * found.width_px == pytest.approx(101.6, rel=1e-3)
    assert Image.open(io.BytesIO(found.data)).getpixel((5, 5)) == (0, 0, 0)
    with pytest.raises(Refused, match="a page from 1 to 2"):
        read_ground(out.getvalue(), name="site.pdf", page=3)


def test_pictures_stay_as_they_are_but_for_those_that_a_browser_would_turn() -> None:
    plain = raster("PNG")
    assert read_ground(plain, name="a.png").data == plain
    exif = Image.Exif()
    exif[0x0112] = 6  # turned by a quarter: the Exif standard's value, from memory
    turned = read_ground(raster("JPEG", exif=exif), name="a.jpg")
    assert (turned.width_px, turned.height_px) == (40, 60)
    assert "was turned" in turned.said[0]


@pytest.mark.parametrize(
    ("data", "told"),
    [
        (b"hello", "is none of the formats"),
        (b"\x89PNG\r\n\x1a\njunk", "cannot be read"),
        (b"%PDF-1.4 junk", "cannot be read"),
        (b"<svg xmlns='http://www.w3.org/2000/svg'/>", "neither a viewBox nor"),
        (b"<svg", "cannot be read"),
        (b"  0\nSECTION\n junk", "no structure of a DXF"),
        (b'<!DOCTYPE svg [<!ENTITY a "b">]><svg width="5" height="5">&a;</svg>', "cannot be read"),
    ],
)
def test_what_is_no_picture_is_told(data: bytes, told: str) -> None:
    with pytest.raises(Refused, match=told):
        read_ground(data, name="x")


def test_an_empty_drawing_and_one_too_large_are_told() -> None:
    empty = ezdxf.new("R2010")
    out = io.StringIO()
    empty.write(out)
    with pytest.raises(Refused, match="nothing with a width"):
        read_ground(out.getvalue().encode(), name="x.dxf")
    with pytest.raises(Refused, match="the limit is a setting"):
        read_ground(raster("PNG"), name="x.png", limits=Limits(still_bytes=10))
