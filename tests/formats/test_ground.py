"""Ground pictures: each format in, its size and scale, what is left out of it, and what no picture can be made of."""

from __future__ import annotations

import base64
import io
import math
import zlib
from pathlib import Path

import ezdxf
import pytest
from ezdxf.document import Drawing
from ezdxf.enums import InsertUnits
from PIL import Image

from lantern.core.faults import Refused
from lantern.formats.ground.picture import read_ground
from lantern.formats.limits import Limits


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


SVG = b"""<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="420mm" height="260mm"
 viewBox="0 0 840 520" onload="alert(1)"><script>alert(2)</script><style>@import url(http://x.test/a.css); .a{fill:url(#g)}</style>
 <foreignObject><body xmlns="http://www.w3.org/1999/xhtml">x</body></foreignObject><image xlink:href="http://x.test/a.png"/>
 <image href="data:image/png;base64,PNG"/><image href="data:image/png;base64,AAAA"/><rect class="a" width="5" height="5" style="fill:url(http://x.test/b)" onclick="x()"/>
 <set attributeName="href" to="javascript:x()"/><use href="#g"/></svg>""".replace(
    b"PNG", base64.b64encode(raster("PNG"))
)


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


# ---- pictures that are made to fill the machine ----------------------------------------------------------------------


def written(document: Drawing) -> bytes:
    out = io.StringIO()
    document.write(out)
    return out.getvalue().encode()


@pytest.mark.parametrize("where", [math.inf, math.nan, 1e300])
@pytest.mark.parametrize("sort", ["circle", "polyline", "spline", "block"])
def test_what_lies_nowhere_is_refused_and_not_divided_without_end(where: float, sort: str) -> None:
    document = ezdxf.new("R2010")
    space = document.modelspace()
    space.add_line((0, 0), (10, 5))
    if sort == "circle":
        space.add_circle((where, 9), 2)
    elif sort == "polyline":
        space.add_lwpolyline([(0, 0, 0, 0, 0.5), (where, 1, 0, 0, 0.5), (2, 2)])
    elif sort == "spline":
        space.add_spline([(0, 0), (1, where), (2, 2), (3, 1)])
    else:
        document.blocks.new("b").add_circle((0, 0), where)
        space.add_blockref("b", (1, 1))
    out = io.StringIO()
    document.write(out)
    with pytest.raises(Refused, match=r"is not finite, or beyond|has no structure"):
        read_ground(out.getvalue().encode(), name="x.dxf")


def test_a_large_circle_is_an_outline_as_fine_as_a_small_one() -> None:
    document = ezdxf.new("R2010")
    document.modelspace().add_circle((0, 0), 4e8)
    out = io.StringIO()
    document.write(out)
    [(closed, corners)] = read_ground(out.getvalue().encode(), name="x.dxf").outlines["0"]
    assert closed
    assert 8 < len(corners) < 60


def nested(deep: int, times: int) -> bytes:
    """A DXF of blocks that insert blocks: `times` to the power of `deep` lines from a few kilobytes."""
    document = ezdxf.new("R2010")
    document.blocks.new("B0").add_line((0, 0), (1, 1))
    for level in range(1, deep + 1):
        block = document.blocks.new(f"B{level}")
        for n in range(times):
            block.add_blockref(f"B{level - 1}", (n, 0))
    document.modelspace().add_blockref(f"B{deep}", (0, 0))
    return written(document)


def rows_and_columns(count: int) -> bytes:
    document = ezdxf.new("R2010")
    document.blocks.new("B0").add_line((0, 0), (1, 1))
    document.modelspace().add_blockref(
        "B0", (0, 0), dxfattribs={"row_count": count, "column_count": count, "row_spacing": 1, "column_spacing": 1}
    )
    return written(document)


def of_uses(deep: int, times: int) -> bytes:
    layers = "".join(
        f'<g id="u{n}">{f"""<use xlink:href="#u{n - 1}"/>""" * times if n else """<rect width="1" height="1"/>"""}</g>'
        for n in range(deep + 1)
    )
    head = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="90" height="90">'
    return f'{head}<defs>{layers}</defs><use xlink:href="#u{deep}"/></svg>'.encode()


def svg(inner: str) -> bytes:
    return f'<svg xmlns="http://www.w3.org/2000/svg" width="90" height="90">{inner}</svg>'.encode()


def of_objects(count: int) -> bytes:
    """A PDF whose page draws so many rectangles from a few kilobytes."""
    content = zlib.compress(b"0 0 1 1 re f\n" * count)
    parts = [
        b"<</Type/Catalog/Pages 2 0 R>>",
        b"<</Type/Pages/Kids[3 0 R]/Count 1>>",
        b"<</Type/Page/Parent 2 0 R/MediaBox[0 0 600 600]/Contents 4 0 R>>",
        b"<</Filter/FlateDecode/Length %d>>stream\n%s\nendstream" % (len(content), content),
    ]
    return (
        b"%PDF-1.4\n"
        + b"".join(b"%d 0 obj\n%s\nendobj\n" % (n, part) for n, part in enumerate(parts, 1))
        + (b"trailer<</Size 5/Root 1 0 R>>")
    )


@pytest.mark.parametrize(
    ("data", "told"),
    [
        (nested(8, 10), "more than 200000 entities once its blocks are inserted"),
        (nested(60, 1), "blocks deep"),
        (rows_and_columns(3000), "more than 200000 entities"),
        (of_uses(8, 10), "more than 200000 elements once all its references are drawn"),
        (svg('<g id="a"><use href="#a"/></g>'), "refers to itself"),
        (
            svg('<rect fill="url(#p)" width="5" height="5"/><pattern id="p"><rect fill="url(#p)"/></pattern>'),
            "to itself",
        ),
        (svg("<g>" * 5000 + "</g>" * 5000), "nested more than 100 elements deep"),
        (of_objects(300_000), "draws more than 200000 objects"),
    ],
)
def test_a_small_file_that_comes_to_much_is_refused(data: bytes, told: str) -> None:
    assert len(data) < 100_000
    with pytest.raises(Refused, match=told):
        read_ground(data, name="x")


def test_what_comes_to_as_much_as_real_drawings_do_is_read() -> None:
    assert b"<path" in read_ground(nested(3, 10), name="x.dxf").data
    assert read_ground(of_uses(4, 10), name="x.svg").width_px == 90
    assert read_ground(of_objects(2000), name="x.pdf").width_px == pytest.approx(600 * 200 / 72, abs=1)


def test_hatches_and_dashes_as_fine_as_somebody_likes_are_drawn_plainly() -> None:
    document = ezdxf.new("R2010", setup=True)
    document.linetypes.add("TINY", [0.0002, 0.0001, -0.0001])
    space = document.modelspace()
    for n in range(20):
        space.add_line((0, n), (1e6, n), dxfattribs={"linetype": "TINY"})
    hatch = space.add_hatch()
    hatch.paths.add_polyline_path([(0, 0), (1000, 0), (1000, 1000), (0, 1000)])
    hatch.set_pattern_fill("ANSI31", scale=0.0001)
    found = read_ground(written(document), name="x.dxf")
    assert len(found.data) < 100_000
    assert "hatches are drawn as their outlines" in found.said


def test_a_picture_in_a_drawing_is_no_larger_than_one_alone_may_be() -> None:
    held = base64.b64encode(raster("PNG", (9000, 9000))).decode()
    with pytest.raises(Refused, match="holds a picture of 9000 x 9000 pixels"):
        read_ground(svg(f'<image href="data:image/png;base64,{held}"/>'), name="x.svg")
