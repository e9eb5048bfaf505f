"""Metres of a plan as longitude and latitude, and the coverage of a plan as GeoJSON (RFC 7946)."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

import shapely
from shapely.geometry.base import BaseGeometry

from lantern.core.faults import Fault, Refused
from lantern.core.promise.plan import Plan

SEMI_MAJOR_M, ECCENTRICITY_2 = 6_378_137.0, 6.694379990141e-3  # WGS 84, from memory
DIGITS = 8  # of a degree: about a millimetre


def lon_lat(plan: Plan, x_m: float, y_m: float) -> tuple[float, float]:
    """A point of the plan on the ellipsoid, by its radii of curvature at the origin: exact to centimetres over some kilometres.

    Raises `Refused` where the plan's origin has no latitude and longitude.
    """
    if plan.latitude is None or plan.longitude is None:
        what = "its origin has no latitude and longitude"
        raise Refused(
            [Fault("plan", what, "latitude and longitude of x = y = 0, without which nothing lies on the earth")]
        )
    latitude = math.radians(plan.latitude)
    w = math.sqrt(1 - ECCENTRICITY_2 * math.sin(latitude) ** 2)
    along_meridian, across = SEMI_MAJOR_M * (1 - ECCENTRICITY_2) / w**3, SEMI_MAJOR_M / w * math.cos(latitude)
    return plan.longitude + math.degrees(x_m / across), plan.latitude + math.degrees(y_m / along_meridian)


def geojson(plan: Plan, areas: Sequence[tuple[Mapping[str, Any], BaseGeometry]]) -> dict[str, Any]:
    """A feature collection of areas with their properties; outer rings run counter-clockwise, as the standard asks."""
    features = []
    for properties, area in areas:
        parts = [part for part in shapely.get_parts(area) if part.geom_type == "Polygon" and not part.is_empty]
        if not parts:
            continue
        rings = [_rings(plan, shapely.geometry.polygon.orient(part)) for part in parts]
        shape = (
            {"type": "Polygon", "coordinates": rings[0]}
            if len(rings) == 1
            else {"type": "MultiPolygon", "coordinates": rings}
        )
        features.append({"type": "Feature", "properties": dict(properties), "geometry": shape})
    return {"type": "FeatureCollection", "features": features}


def _rings(plan: Plan, part: Any) -> list[list[list[float]]]:
    out = []
    for ring in (part.exterior, *part.interiors):
        points = [lon_lat(plan, x, y) for x, y in ring.coords]
        out.append([[round(lon, DIGITS), round(lat, DIGITS)] for lon, lat in points])
    return out
