"""Where the points of regions lie: in a picture, on the plan, around a sensor, or nowhere."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Space:
    """`unit` of both coordinates; `sized`: it ends at the edges of the device's picture. A ground in metres is drawn with what is
    ahead (or north) above.
    """

    name: str
    unit: str
    sized: bool = False


PICTURE = Space("picture", "px", sized=True)  # from the upper left corner, to the right and down
PLAN = Space("plan", "m")  # of the place's plan
SENSOR = Space("sensor", "m")  # x to the right of the sensor, y ahead of it
NOWHERE = Space("none", "")
