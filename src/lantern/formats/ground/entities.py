"""How much a DXF drawing comes to once its blocks are inserted: counted before it is drawn, and while."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ezdxf.addons.drawing.svg import SVGBackend
from ezdxf.document import Drawing
from ezdxf.layouts.base import BaseLayout
from ezdxf.math import Vec2, Vec3

from lantern.core.faults import Fault, Refused

MOST_ENTITIES = 200_000  # after insertion; a text counts by its letters, a polyline by its corners
MOST_DRAWN = 1_000_000  # lines and paths that they are drawn as
FARTHEST = 1e9  # of a coordinate, a size, a factor, in the drawing's own units
DEEPEST = 40  # blocks within blocks
CORNERS_AN_ENTITY = 8
LESS = "a drawing without the layers that nobody needs"


def check_entities(document: Drawing, name: str) -> None:
    """Raises `Refused` for a drawing whose blocks, inserted, come to more than can be drawn, or that insert themselves."""
    known: dict[str, int] = {}

    def of_block(block: str, deep: int) -> int:
        if deep > DEEPEST:
            raise Refused([Fault(name, f"block {block!r} is inserted {deep} blocks deep", f"at most {DEEPEST}")])
        if block not in known:
            held = document.blocks.get(block)
            known[block] = 0 if held is None else of_layout(held, deep)
        return known[block]

    def of_layout(layout: BaseLayout, deep: int) -> int:
        total = 0
        for entity in layout:
            if not all(abs(number) <= FARTHEST for number in _numbers(entity)):  # nor NaN
                what = f"a number of {entity.dxftype()} {entity.dxf.handle} is not finite, or beyond {FARTHEST:g}"
                raise Refused([Fault(name, what, "a drawing whose entities all lie somewhere")])
            count = _weight(entity)
            if entity.dxftype() == "INSERT":
                count += of_block(entity.dxf.name, deep + 1) * max(int(getattr(entity, "mcount", 1)), 1)
            total = min(total + count, MOST_ENTITIES + 1)
        return total

    if of_layout(document.modelspace(), 0) > MOST_ENTITIES:
        raise Refused([Fault(name, f"more than {MOST_ENTITIES} entities once its blocks are inserted", LESS)])


def _numbers(entity: Any) -> Iterator[float]:
    """Where an entity lies, how large it is, how it is turned: curves with a number that is none are divided without end."""
    kind = entity.dxftype()
    for value in entity.dxf.all_existing_dxf_attribs().values():
        yield from _numbers_in(value)
    if kind == "LWPOLYLINE":
        for point in entity.get_points():
            yield from point
    elif kind == "POLYLINE":
        for vertex in entity.vertices:
            yield from _numbers(vertex)
    elif kind == "SPLINE":
        for points in (entity.control_points, entity.fit_points):
            for point in points:
                yield from (float(each) for each in point)
        yield from (float(each) for each in (*entity.knots, *entity.weights))


def _numbers_in(value: Any) -> Iterator[float]:
    if isinstance(value, float):
        yield value
    elif isinstance(value, Vec3 | Vec2):
        yield from value


def _weight(entity: Any) -> int:
    kind = entity.dxftype()
    if kind in ("TEXT", "ATTRIB", "ATTDEF"):
        return max(len(entity.dxf.text), 1)
    if kind == "MTEXT":
        return max(len(entity.text), 1)
    if kind in ("LWPOLYLINE", "POLYLINE"):
        return 1 + len(entity) // CORNERS_AN_ENTITY
    return 1


class Bounded(SVGBackend):
    """Draws, and refuses what comes to more than so many lines and paths."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self._name, self._drawn = name, 0

    def _count(self, more: int = 1) -> None:
        self._drawn += more
        if self._drawn > MOST_DRAWN:
            raise Refused([Fault(self._name, f"is drawn as more than {MOST_DRAWN} lines and paths", LESS)])

    def draw_point(self, *given: Any, **named: Any) -> None:
        self._count()
        super().draw_point(*given, **named)

    def draw_line(self, *given: Any, **named: Any) -> None:
        self._count()
        super().draw_line(*given, **named)

    def draw_solid_lines(self, lines: Any, properties: Any) -> None:
        held = list(lines)
        self._count(len(held))
        super().draw_solid_lines(held, properties)

    def draw_path(self, path: Any, properties: Any) -> None:
        self._count(1 + len(path) // CORNERS_AN_ENTITY)
        super().draw_path(path, properties)

    def draw_filled_paths(self, paths: Any, properties: Any) -> None:
        held = list(paths)
        self._count(sum(1 + len(path) // CORNERS_AN_ENTITY for path in held))
        super().draw_filled_paths(held, properties)

    def draw_filled_polygon(self, points: Any, properties: Any) -> None:
        self._count()
        super().draw_filled_polygon(points, properties)
