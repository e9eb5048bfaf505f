"""What a detector is and what it says: regions and dials in, events out."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, SerializeAsAny, model_validator

from lantern.core.rule import ClearedBy

Shape = Literal["spot", "line", "polygon", "box", "sector"]
Role = Literal["watch", "reference", "mask"]


class Region(BaseModel):
    """A spot, line, polygon, box or sector in a device's own picture; points in pixels, origin top left.

    A family whose regions hold more derives its own. A key that is null says nothing, and is left out.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    name: str = Field(min_length=1, max_length=80)
    shape: Shape
    points: tuple[tuple[float, float], ...] = Field(min_length=1)
    role: Role = Field(default="watch", description="watched; held against; or pixels that no region may use")

    @model_validator(mode="before")
    @classmethod
    def _said(cls, given: Any) -> Any:
        return {key: value for key, value in given.items() if value is not None} if isinstance(given, dict) else given


class Detector(BaseModel):
    """One decision on one device: a kind, its regions, its dials, its timetable (file format `lantern-detector/1`).

    A family whose detectors hold more derives its own: `lantern.core.kinds.detector_of` reads a document as that.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", populate_by_name=True)

    format: Literal["lantern-detector/1"] = "lantern-detector/1"
    name: str = Field(min_length=1, max_length=120)
    kind: str
    device: str | None = None
    channel: str | None = Field(default=None, max_length=40, description="of a device of several bodies or sensors")
    regions: tuple[SerializeAsAny[Region], ...] = ()
    dials: dict[str, Any] = Field(default_factory=dict)
    timetable: str | None = None


@dataclass(frozen=True, slots=True)
class Raised:
    """What a raise says of itself, live: its reading in the kind's unit, which object and which way, what only its family knows."""

    reading: float
    object: str | None = None
    direction: str | None = None
    own: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Event:
    """A decision's raise with its clear. Times in s from the take's start; `peak` in the reading's unit.

    `region` "": the whole of what the device sees.
    """

    detector: str
    region: str
    raised_s: float
    cleared_s: float | None
    cleared_by: ClearedBy
    repeat: bool
    peak: float
    object: int | str | None = None
    direction: str | None = None
    why: dict[str, Any] = field(default_factory=dict)
    own: dict[str, Any] = field(
        default_factory=dict
    )  # what only its family knows of it, by names that the family documents

    def as_dict(self) -> dict[str, Any]:
        """The event line of the contract; `direction`, and what only its family knows, where the kind has them."""
        line: dict[str, Any] = {
            "detector": self.detector,
            "region": self.region or None,
            "raised_s": self.raised_s,
            "cleared_s": self.cleared_s,
            "cleared_by": self.cleared_by,
            "repeat": self.repeat,
            "peak": self.peak,
            "object": self.object,
            "why": self.why,
        }
        if self.direction is not None:
            line["direction"] = self.direction
        return line | self.own


def in_order(events: list[Event]) -> list[Event]:
    """Return the events by the time of the raise, then by detector, then by region."""
    return sorted(events, key=lambda event: (event.raised_s, event.detector, event.region))
