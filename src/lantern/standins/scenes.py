"""The simulated views by name: what each stand-in camera shows, and the takes that are recorded of it for the demo."""

from __future__ import annotations

from lantern.standins.door import CrewDoor
from lantern.standins.scene import Kiosk, LateShift, PelletStore, Scene

SCENES: dict[str, type[Scene]] = {"T1": PelletStore, "T2": Kiosk, "T3": CrewDoor}  # by the camera's code
RECORDED: dict[str, type[Scene]] = {**SCENES, "T1 late": LateShift}
