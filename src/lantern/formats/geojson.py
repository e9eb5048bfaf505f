"""GeoJSON (RFC 7946) as things of a plan's drawing: what can be drawn comes in, in metres of that plan; the rest is told."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any

from lantern.core.faults import Fault, Refused
from lantern.core.promise.earth import x_y
from lantern.core.promise.plan import MATERIALS, Plan

MOST = 2000
OUTLINES = ("water", "road", "pier", "line")


def things_in(
    document: Mapping[str, Any], plan: Plan, *, where: str
) -> tuple[dict[str, list[dict[str, Any]]], list[str]]:
    """Outlines and occluders, as a plan's document has them, and what was left out, in words. A feature with a `height_m` is an
    occluder, any other an outline; `name`, `material` and `what` are taken where they are known. Raises `Refused`.
    """
    if document.get("type") != "FeatureCollection" or not isinstance(document.get("features"), list):
        raise Refused([Fault(where, f"is {document.get('type')!r}", "a FeatureCollection, as RFC 7946 has it")])
    out: dict[str, list[dict[str, Any]]] = {"outlines": [], "occluders": []}
    left: Counter[str] = Counter()
    for n, feature in enumerate(document["features"]):
        at = f"{where}: features.{n}"
        if not isinstance(feature, dict) or not isinstance(feature.get("geometry"), dict):
            left["a feature without a geometry"] += 1
            continue
        properties = feature.get("properties") or {}
        for points, closed in _lines(feature["geometry"], plan, at, left):
            _add(out, properties, points, closed, n)
        if sum(map(len, out.values())) > MOST:
            raise Refused([Fault(where, f"more than {MOST} things", "a part of them: what is near the site")])
    return out, [f"left out: {count} x {what}" for what, count in sorted(left.items())]


def _add(
    out: dict[str, list[dict[str, Any]]], properties: Mapping[str, Any], points: list[list[float]], closed: bool, n: int
) -> None:
    height = properties.get("height_m", properties.get("height"))
    name = str(properties.get("name") or f"thing {n + 1}")[:100]
    if isinstance(height, int | float) and height > 0:
        made: dict[str, Any] = {"height_m": float(height), "closed": closed}
        if properties.get("material") in MATERIALS:
            made["material"] = properties["material"]
        names = {each["name"] for each in out["occluders"]}
        unique = next(each for each in (name, *(f"{name} {k}" for k in range(2, MOST + 2))) if each not in names)
        out["occluders"].append({"name": unique, "points": points, **made})
    else:
        what = properties.get("what")
        kind = what if what in OUTLINES else ("pier" if closed else "line")
        out["outlines"].append({"name": name, "what": kind, "points": points})


def _lines(
    geometry: Mapping[str, Any], plan: Plan, at: str, left: Counter[str]
) -> list[tuple[list[list[float]], bool]]:
    kind, held = geometry.get("type"), geometry.get("coordinates")
    if kind == "GeometryCollection":
        return [each for part in geometry.get("geometries", ()) for each in _lines(part, plan, at, left)]
    if kind not in ("Polygon", "MultiPolygon", "LineString", "MultiLineString"):
        left[str(kind)] += 1
        return []
    if not isinstance(held, list):
        raise Refused([Fault(at, "has no coordinates", "a list of them")])
    parts: list[Any] = held if kind.startswith("Multi") else [held]
    if kind.endswith("LineString"):
        return [(_metres(line, plan, at), False) for line in parts]
    if holes := sum(max(len(rings) - 1, 0) for rings in parts):
        left["a hole of an area"] += holes
    return [(_metres(rings[0][:-1], plan, at), True) for rings in parts if rings]


def _metres(corners: Sequence[Any], plan: Plan, at: str) -> list[list[float]]:
    out = []
    for corner in corners:
        numbers = isinstance(corner, list) and len(corner) >= 2 and all(isinstance(v, int | float) for v in corner[:2])
        if not numbers or not (-180 <= corner[0] <= 180 and -90 <= corner[1] <= 90):
            raise Refused([Fault(at, f"{corner!r}"[:80], "longitude and latitude in degrees, in this order")])
        x, y = x_y(plan, corner[0], corner[1])
        out.append([round(x, 2), round(y, 2)])
    return out
