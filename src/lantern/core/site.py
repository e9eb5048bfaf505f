"""The whole of a site as one document (file format `lantern-site/1`)."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from lantern.core.events import Detector
from lantern.core.linking.links import LinkRule, Output, Strict
from lantern.core.logic.timetable import Timetable


class Device(Strict):
    """A sensor or an output module. `ability` is what it can do, `address` how it is reached."""

    code: str = Field(min_length=1, max_length=20)
    name: str = Field(min_length=1, max_length=120)
    kind: Literal["thermal", "camera", "counter", "io_module"]
    ability: dict[str, Any] = Field(default_factory=dict)
    address: dict[str, Any] = Field(default_factory=dict)
    outputs: tuple[Output, ...] = ()


class Place(Strict):
    name: str = Field(min_length=1, max_length=120)
    devices: tuple[Device, ...] = ()


class Site(Strict):
    format: Literal["lantern-site/1"] = "lantern-site/1"
    name: str = Field(min_length=1, max_length=120)
    zone: str = "UTC"
    places: tuple[Place, ...] = ()
    detectors: tuple[Detector, ...] = ()
    timetables: tuple[Timetable, ...] = ()
    links: tuple[LinkRule, ...] = ()
