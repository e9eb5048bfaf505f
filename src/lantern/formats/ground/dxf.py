"""The model space of a DXF drawing as an SVG, with the scale that its header says."""

from __future__ import annotations

import io
import logging
import math
import tempfile
from collections.abc import Sequence
from pathlib import Path

import ezdxf.filemanagement
import ezdxf.recover
from defusedxml.ElementTree import fromstring
from ezdxf import units
from ezdxf.addons.drawing import config, layout
from ezdxf.addons.drawing.frontend import Frontend
from ezdxf.addons.drawing.properties import RenderContext
from ezdxf.document import Drawing
from ezdxf.enums import InsertUnits
from ezdxf.layouts.layout import Modelspace
from ezdxf.lldxf.const import DXFStructureError
from ezdxf.math import Vec3
from ezdxf.path import make_path

from lantern.core.faults import Fault, Refused
from lantern.core.wording import many
from lantern.formats.ground.entities import Bounded, check_entities
from lantern.formats.ground.ground import Ground, Outline
from lantern.formats.ground.svg import plain, written

logging.getLogger("ezdxf").setLevel(logging.CRITICAL)  # what it mends is told as one line of `said`

STROKE = 0.0008  # of the longer side
MOST_OUTLINES, MOST_CORNERS, CHORD = 2000, 200, 0.005
BINARY = b" Binary DXF\r\n\x1a\x00"  # how the first 22 bytes of the binary form end
PLAIN = config.Configuration(
    background_policy=config.BackgroundPolicy.OFF,
    color_policy=config.ColorPolicy.BLACK,
    lineweight_policy=config.LineweightPolicy.RELATIVE_FIXED,
    line_policy=config.LinePolicy.SOLID,  # dashes as fine as somebody likes fill any memory
)


def drawing_of(data: bytes, name: str) -> Ground:
    """Raises `Refused` where nothing is drawn in its model space."""
    document, said = _opened(data, name)
    space = document.modelspace()
    check_entities(document, name)
    backend = Bounded(name)
    hatched = space.query("HATCH[pattern_name!='SOLID']")
    plain_hatches = config.HatchPolicy.SHOW_OUTLINE if hatched else config.HatchPolicy.NORMAL
    if hatched:
        said.append("hatches are drawn as their outlines")
    Frontend(RenderContext(document), backend, config=PLAIN.with_changes(hatch_policy=plain_hatches)).draw_layout(space)
    box = backend.player().bbox()
    if not box.has_data or box.size.x <= 0 or box.size.y <= 0:
        raise Refused(
            [Fault(name, "nothing with a width and a height is drawn in its model space", "a drawing of the ground")]
        )
    page = layout.Page(0, 0, layout.Units.mm, layout.Margins.all(0))
    root = fromstring(
        backend.get_string(page, settings=layout.Settings(max_stroke_width=STROKE, fixed_stroke_width=1.0))
    )
    _, _, width, height = (float(part) for part in root.attrib["viewBox"].split())
    root.set("width", plain(width))
    root.set("height", plain(height))
    metres = _metres_a_unit(document)
    if metres is None:
        said.append("its header names no unit ($INSUNITS): say the scale by two points")
    else:
        said.append(
            f"in {units.decode(document.units)} ($INSUNITS): {box.size.x * metres:.1f} by {box.size.y * metres:.1f} m"
        )
    scale = None if metres is None else box.size.x * metres / width
    outlines = _outlines(space, (box.extmin.x, box.extmin.y), width / box.size.x)
    if sum(map(len, outlines.values())) >= MOST_OUTLINES:
        said.append(f"only its first {MOST_OUTLINES} outlines can be taken as buildings")
    return Ground(
        name, "image/svg+xml", written(root), width, height, metres_per_px=scale, said=said, outlines=outlines
    )


def _binary(data: bytes) -> Drawing:
    """The library reads the binary form from files alone."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "drawing.dxf"
        path.write_bytes(data)
        return ezdxf.filemanagement.readfile(path)


def _outlines(space: Modelspace, corner: tuple[float, float], scale: float) -> dict[str, list[Outline]]:
    """Polylines and lines of the model space by their layers; curves by chords. Blocks are left as they are drawn."""
    out: dict[str, list[Outline]] = {}
    for entity in space.query("LWPOLYLINE POLYLINE LINE CIRCLE"):
        if sum(map(len, out.values())) >= MOST_OUTLINES:
            break
        held = make_path(entity)
        chord = _span(held.control_vertices()) * CHORD or 1e-9
        corners = [((p.x - corner[0]) * scale, (p.y - corner[1]) * scale) for p in held.flattening(chord)]
        closed = len(corners) > 3 and math.dist(corners[0], corners[-1]) < 1e-6 * scale + 1e-9
        points = corners[:-1] if closed else corners
        if 2 <= len(points) <= MOST_CORNERS:
            out.setdefault(str(entity.dxf.layer), []).append((closed, [(round(x, 3), round(y, 3)) for x, y in points]))
    return out


def _span(points: Sequence[Vec3]) -> float:
    """Return how far points lie apart at most, along x or y: curves are as fine as they are large, and no finer."""
    xs, ys = [point.x for point in points], [point.y for point in points]
    return max(max(xs) - min(xs), max(ys) - min(ys)) if points else 0.0


def is_binary(data: bytes) -> bool:
    return data[:22].endswith(BINARY)


def _opened(data: bytes, name: str) -> tuple[Drawing, list[str]]:
    """The document; one with faults is mended as far as it goes, and that is said."""
    try:
        if is_binary(data):
            return _binary(data), []
        document, auditor = ezdxf.recover.read(io.BytesIO(data))
    except DXFStructureError as error:
        raise Refused([Fault(name, f"has no structure of a DXF: {error}", "a whole DXF file, R12 or later")]) from error
    lost = len(auditor.errors)
    return document, [f"{many(lost, 'fault')} in it could not be mended"] if lost else []


def _metres_a_unit(document: Drawing) -> float | None:
    """Return the metres of a drawing's unit; None: the drawing says no unit."""
    return (
        None if document.units == 0 else float(units.conversion_factor(InsertUnits(document.units), InsertUnits.Meters))
    )
