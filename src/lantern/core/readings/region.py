"""Regions of a thermal picture: with what is known of the surface in them."""

from __future__ import annotations

from pydantic import Field

from lantern.core.events import Detector, Region


class ReadingRegion(Region):
    """A region whose pixels are read as temperatures of one surface."""

    emissivity: float | None = Field(default=None, gt=0, le=1, description="of the target; empty: the dial's")
    reflected_c: float | None = Field(
        default=None, gt=-273.15, le=2000, description="reflected apparent temperature, °C"
    )
    target_mm: float | None = Field(
        default=None, gt=0, le=1e6, description="least size of what is to be measured in it"
    )


def is_by_name(region: Region) -> bool:
    """Return whether a region stands for a column of its name, and for no place: it is a spot at the origin."""
    return region.shape == "spot" and tuple(map(tuple, region.points)) == ((0.0, 0.0),)


class ReadingDetector(Detector):
    """A detector of readings, with regions of its family."""

    regions: tuple[ReadingRegion, ...] = Field(min_length=1)
