"""Metres of a plan as longitude and latitude and back, and what lies on it as GeoJSON (RFC 7946)."""

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


def x_y(plan: Plan, lon: float, lat: float) -> tuple[float, float]:
    """The way back: a place on the earth in metres of the plan. Raises `Refused` as `lon_lat` does."""
    east, north = lon_lat(plan, 1.0, 1.0)  # degrees grow evenly with metres about the origin
    assert plan.latitude is not None and plan.longitude is not None
    return (lon - plan.longitude) / (east - plan.longitude), (lat - plan.latitude) / (north - plan.latitude)


def geojson(plan: Plan, shapes: Sequence[tuple[Mapping[str, Any], BaseGeometry]]) -> dict[str, Any]:
    """A feature collection of areas, lines and points with their properties; outer rings run counter-clockwise, as the standard asks."""
    features = []
    for properties, held in shapes:
        parts = [part for part in shapely.get_parts(held) if not part.is_empty]
        kinds = {part.geom_type for part in parts}
        for kind in sorted(kinds & {"Polygon", "LineString", "Point"}):
            found = [_coordinates(plan, part) for part in parts if part.geom_type == kind]
            one = len(found) == 1
            shape = {"type": kind if one else f"Multi{kind}", "coordinates": found[0] if one else found}
            features.append({"type": "Feature", "properties": dict(properties), "geometry": shape})
    return {"type": "FeatureCollection", "features": features}


def _coordinates(plan: Plan, part: Any) -> Any:
    if part.geom_type == "Polygon":
        turned = shapely.geometry.polygon.orient(part)
        return [_line(plan, ring.coords) for ring in (turned.exterior, *turned.interiors)]
    found = _line(plan, part.coords)
    return found[0] if part.geom_type == "Point" else found


def _line(plan: Plan, coordinates: Any) -> list[list[float]]:
    points = [lon_lat(plan, x, y) for x, y, *_ in coordinates]
    return [[round(lon, DIGITS), round(lat, DIGITS)] for lon, lat in points]
