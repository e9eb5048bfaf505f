"""Regions of a scene that objects pass: lines, zones, and figures of a known height that tell the perspective."""

from __future__ import annotations

from pydantic import Field

from lantern.core.events import Detector, Region


class ObjectRegion(Region):
    """A line or zone; or, as a reference, a line from the foot to the head of somebody of a known height."""

    target_mm: float | None = Field(
        default=None, gt=0, le=1e6, description="true height of the figure that it stands for"
    )


class ObjectDetector(Detector):
    """A detector of objects, with regions of its family."""

    regions: tuple[ObjectRegion, ...] = Field(min_length=1)
