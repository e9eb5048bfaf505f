"""The plan of a site: its ground, what stands on it and hides, how loud it is, and what is to be seen, read, heard and walked.

Metres, x east and y north from the plan's own origin.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from functools import lru_cache
from typing import Any, Literal, Self

import shapely
from pydantic import BaseModel, Field, SerializerFunctionWrapHandler, model_serializer, model_validator
from shapely.geometry.base import BaseGeometry

from lantern.core.modelled import Strict
from lantern.core.optics.coverage import Wall
from lantern.core.register.installed import Loose

Point = tuple[float, float]
AREAS = ("water", "pier")  # outlines that are areas; the others are lines
# one-way loss in dB at 24 GHz, absorption and reflection: ITU-R P.2040-1 coefficients, from memory; thin plastic common practice
MATERIALS: dict[str, float] = {
    "metal": float("inf"),
    "concrete": 32.0,
    "wood": 3.6,
    "wet wood": 6.0,  # common practice, no source; soaked through it is worse
    "glass": 2.2,
    "metal-coated glass": 30.0,  # as used against the sun; common practice, no source
    "plasterboard": 1.9,
    "plastic": 1.0,
}


@lru_cache(maxsize=4096)
def _wall(points: tuple[Point, ...], height_m: float, closed: bool) -> Wall:
    """One object for the same wall, which keeps its lines."""
    return Wall(points, height_m, closed)


def _check_simple(points: Sequence[Point]) -> None:
    if not shapely.is_valid(shapely.Polygon(points)):
        raise ValueError("its outline crosses itself, or has no area: corners in their order round it")


class Occluder(Strict):
    """A wall, a building, a container. Opaque to sight; to radar by its material; sound goes over its top."""

    name: str = Field(min_length=1, max_length=120)
    points: tuple[Point, ...] = Field(min_length=2, max_length=500)
    height_m: float = Field(gt=0, le=500)
    closed: bool = Field(default=False, description="its last corner is joined to its first")
    material: str = "concrete"

    @model_validator(mode="after")
    def _known(self) -> Self:
        if self.material not in MATERIALS:
            raise ValueError(f"{self.material!r} is no known material: one of {', '.join(MATERIALS)}")
        if self.closed and len(self.points) < 3:
            raise ValueError("a closed one has three corners at least")
        if self.closed:
            _check_simple(self.points)
        return self

    @property
    def wall(self) -> Wall:
        return _wall(self.points, self.height_m, self.closed)

    @property
    def loss_db(self) -> float:
        return MATERIALS[self.material]


class Outline(Strict):
    """Something that is only drawn: water, a road, a pier."""

    name: str = Field(default="", max_length=120)
    what: Literal["water", "road", "pier", "line"] = "line"
    points: tuple[Point, ...] = Field(min_length=2, max_length=2000)

    @model_validator(mode="after")
    def _simple(self) -> Self:
        if self.closed:
            _check_simple(self.points)
        return self

    @property
    def closed(self) -> bool:
        """Its last corner is joined to its first."""
        return self.what in AREAS and len(self.points) > 2

    @property
    def stands(self) -> BaseGeometry:
        return shapely.Polygon(self.points) if self.closed else shapely.LineString(self.points)


class Ambient(Strict):
    """How loud it is, dB(A), at a place (empty: everywhere) in some hours of the day (local, from may be after until)."""

    place: str = Field(default="", max_length=120)
    from_h: float = Field(default=0.0, ge=0, lt=24)
    until_h: float = Field(default=24.0, gt=0, le=24)
    level_db: float = Field(ge=0, le=140)

    def holds(self, hour: float) -> bool:
        if self.from_h < self.until_h:
            return self.from_h <= hour < self.until_h
        return hour >= self.from_h or hour < self.until_h


class AsSaid(BaseModel):
    """Written with what was said of it, and no defaults: it comes back as it came."""

    @model_serializer(mode="wrap")
    def _as_said(self, write: SerializerFunctionWrapHandler) -> dict[str, Any]:
        written: dict[str, Any] = write(self)
        return {key: value for key, value in written.items() if key in self.model_fields_set}


class Aim(AsSaid, Strict):
    """What a device must be good for, at a point or along a path, with what is known of it. What it has depends on `what`."""

    name: str = Field(min_length=1, max_length=120)
    device: str = Field(min_length=1, max_length=20)
    what: Literal["density", "reading", "likeness", "measuring", "counting", "following", "walk", "hearing"]
    points: tuple[tuple[float, ...], ...] = Field(min_length=1, max_length=200, description="x, y and maybe z in m")
    px_per_m: float | None = Field(default=None, gt=0, le=10_000, description="density: wished at its weakest point")
    height_m: float = Field(default=0.0, ge=0, le=10, description="of what is looked at")
    heading_deg: float | None = Field(
        default=None, ge=-360, le=360, description="reading, likeness: the way the plate or the face looks"
    )
    char_mm: float = Field(default=79.0, gt=0, le=1000)
    stroke_mm: float = Field(default=14.0, gt=0, le=500)
    speed_kmh: float | None = Field(default=None, ge=0, le=400)
    shutter_s: float | None = Field(default=None, gt=0, le=10)
    fps: float | None = Field(default=None, gt=0, le=1000)
    depth_m: float | None = Field(default=None, gt=0, le=1000)
    target_m: float = Field(default=0.5, gt=0, le=100, description="measuring, following: how large the target is")
    latency_s: float = Field(default=0.5, ge=0, le=60, description="following: from a sighting to the movement")
    baseline_m: float | None = Field(
        default=None, gt=0, le=2, description="counting: between the two eyes of a stereo counter"
    )
    margin: Literal["ISO 7731", "BS 5839-1", "EN 60849"] = Field(
        default="ISO 7731", description="hearing: by which it is loud enough"
    )
    blind_s: float = Field(default=2.0, ge=0, le=600, description="walk: unseen for so long at most")
    hour: float = Field(default=12.0, ge=0, lt=24, description="hearing: when")
    place: str = Field(default="", max_length=120, description="hearing: whose ambient level holds")

    @model_validator(mode="after")
    def _placed(self) -> Self:
        if any(len(point) not in (2, 3) for point in self.points):
            raise ValueError("points are x, y or x, y, z")
        fewest = {"walk": 2, "counting": 2}.get(self.what, 1)
        if len(self.points) < fewest:
            raise ValueError(f"{self.what} has {fewest} points at least")
        return self

    @property
    def point(self) -> tuple[float, float, float]:
        """Its first, with its own z where it has one, else the height of what is looked at."""
        x, y, *z = self.points[0]
        return x, y, z[0] if z else self.height_m


# what an aim of each sort asks, beside its name and device, and how it is drawn; for a page that offers them
AIM_SORTS: dict[str, tuple[str, str, tuple[str, ...]]] = {
    "density": ("see a zone at so many px/m", "area", ("px_per_m", "height_m")),
    "reading": (
        "read plates", "point", ("height_m", "heading_deg", "char_mm", "stroke_mm", "speed_kmh", "shutter_s", "fps", "depth_m"),
    ),
    "likeness": ("tell a face", "point", ("height_m", "heading_deg")),
    "measuring": ("measure a temperature", "point", ("target_m", "height_m")),
    "counting": ("count across a doorway", "way", ("speed_kmh", "fps", "baseline_m")),
    "following": ("follow a target", "way", ("target_m", "speed_kmh", "px_per_m", "latency_s")),
    "walk": ("see who walks by radar", "way", ("speed_kmh", "blind_s")),
    "hearing": ("be heard", "area", ("hour", "place", "margin")),
}  # fmt: skip


class Plan(AsSaid, Loose):
    """The ground picture lies with its lower left corner at `origin`, `metres_per_px` a pixel, turned about that corner so that
    north is up. Without `metres_per_px` its scale is not known yet.
    """

    picture: str | None = Field(default=None, max_length=200)
    metres_per_px: float | None = Field(default=None, gt=0, le=1000)
    origin: Point = (0.0, 0.0)
    north_deg: float = Field(
        default=0.0, ge=-360, le=360, description="where north lies in the picture, clockwise from its up"
    )
    width_m: float = Field(default=100.0, gt=0, le=20_000)
    height_m: float = Field(default=60.0, gt=0, le=20_000)
    latitude: float | None = Field(default=None, ge=-90, le=90, description="of x = y = 0")
    longitude: float | None = Field(default=None, ge=-180, le=180)
    edition: Literal["2014", "2025"] = Field(
        default="2014", description="of IEC 62676-4, by which densities are graded"
    )
    sun_dates: tuple[date, ...] = Field(
        default=(), max_length=12, description="for which the sun's glare is worked out"
    )
    outlines: tuple[Outline, ...] = ()
    occluders: tuple[Occluder, ...] = ()
    ambient: tuple[Ambient, ...] = ()
    aims: tuple[Aim, ...] = ()

    @model_validator(mode="after")
    def _named(self) -> Self:
        for what, names in (("occluders", [o.name for o in self.occluders]), ("aims", [a.name for a in self.aims])):
            if twice := sorted({name for name in names if names.count(name) > 1}):
                raise ValueError(f"two {what} are called {', '.join(twice)}: a name of its own for each")
        return self

    @property
    def walls(self) -> list[Wall]:
        return [occluder.wall for occluder in self.occluders]

    def ambient_db(self, place: str, hour: float) -> float | None:
        """The loudest that is said of a place at an hour; None: nothing is."""
        said = [each.level_db for each in self.ambient if each.place in ("", place) and each.holds(hour)]
        return max(said, default=None)
