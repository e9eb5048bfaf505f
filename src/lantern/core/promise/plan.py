"""The plan of a site: its ground, what stands on it and hides, how loud it is, and what is to be seen, read, heard and walked.

Metres, x east and y north from the plan's own origin.
"""

from __future__ import annotations

from typing import Any, Literal, Self

from pydantic import Field, SerializerFunctionWrapHandler, model_serializer, model_validator

from lantern.core.linking.links import Strict
from lantern.core.optics.coverage import Wall
from lantern.core.register.installed import Loose

Point = tuple[float, float]
# one-way loss in dB at 24 GHz, absorption and reflection: ITU-R P.2040-1 coefficients, from memory; thin plastic common practice
MATERIALS: dict[str, float] = {
    "metal": float("inf"),
    "concrete": 32.0,
    "wood": 3.6,
    "glass": 2.2,
    "plasterboard": 1.9,
    "plastic": 1.0,
}


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
        return self

    @property
    def wall(self) -> Wall:
        return Wall(self.points, self.height_m, self.closed)

    @property
    def loss_db(self) -> float:
        return MATERIALS[self.material]


class Outline(Strict):
    """Something that is only drawn: water, a road, a pier."""

    name: str = Field(default="", max_length=120)
    what: Literal["water", "road", "pier", "line"] = "line"
    points: tuple[Point, ...] = Field(min_length=2, max_length=2000)


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


class Aim(Strict):
    """What a device must be good for, at a point or along a path, with what is known of it. What it has depends on `what`."""

    name: str = Field(min_length=1, max_length=120)
    device: str = Field(min_length=1, max_length=20)
    what: Literal["density", "reading", "likeness", "walk", "hearing"]
    points: tuple[tuple[float, ...], ...] = Field(min_length=1, max_length=200, description="x, y and maybe z in m")
    px_per_m: float | None = Field(default=None, gt=0, le=10_000, description="density: wished at its weakest point")
    height_m: float = Field(default=0.0, ge=0, le=10, description="of what is looked at")
    heading_deg: float = Field(default=0.0, ge=-360, le=360, description="reading: the way its face looks")
    char_mm: float = Field(default=79.0, gt=0, le=1000)
    stroke_mm: float = Field(default=14.0, gt=0, le=500)
    speed_kmh: float | None = Field(default=None, ge=0, le=400)
    shutter_s: float | None = Field(default=None, gt=0, le=10)
    fps: float | None = Field(default=None, gt=0, le=1000)
    depth_m: float | None = Field(default=None, gt=0, le=1000)
    blind_s: float = Field(default=2.0, ge=0, le=600, description="walk: unseen for so long at most")
    hour: float = Field(default=12.0, ge=0, lt=24, description="hearing: when")
    place: str = Field(default="", max_length=120, description="hearing: whose ambient level holds")

    @model_validator(mode="after")
    def _placed(self) -> Self:
        if any(len(point) not in (2, 3) for point in self.points):
            raise ValueError("points are x, y or x, y, z")
        if self.what == "walk" and len(self.points) < 2:
            raise ValueError("a path has two points at least")
        return self

    @property
    def point(self) -> tuple[float, float, float]:
        """Its first, with its own z where it has one, else the height of what is looked at."""
        x, y, *z = self.points[0]
        return x, y, z[0] if z else self.height_m


class Plan(Loose):
    """The ground picture lies with its lower left corner at `origin`, `metres_per_px` a pixel."""

    picture: str | None = Field(default=None, max_length=200)
    metres_per_px: float | None = Field(default=None, gt=0, le=1000)
    origin: Point = (0.0, 0.0)
    width_m: float = Field(default=100.0, gt=0, le=20_000)
    height_m: float = Field(default=60.0, gt=0, le=20_000)
    latitude: float | None = Field(default=None, ge=-90, le=90, description="of x = y = 0")
    longitude: float | None = Field(default=None, ge=-180, le=180)
    edition: Literal["2014", "2025"] = Field(
        default="2014", description="of IEC 62676-4, by which densities are graded"
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

    @model_serializer(mode="wrap")
    def _as_said(self, write: SerializerFunctionWrapHandler) -> dict[str, Any]:
        """What was said of it, and no defaults: a plan comes back as it came."""
        written: dict[str, Any] = write(self)
        return {key: value for key, value in written.items() if key in self.model_fields_set}

    @property
    def walls(self) -> list[Wall]:
        return [occluder.wall for occluder in self.occluders]

    def ambient_db(self, place: str, hour: float) -> float | None:
        """The loudest that is said of a place at an hour; None: nothing is."""
        said = [each.level_db for each in self.ambient if each.place in ("", place) and each.holds(hour)]
        return max(said, default=None)
