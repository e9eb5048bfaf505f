"""What a predicted figure is held against: a wish, and whether it is met, nearly met, or not."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, Literal

Word = Literal["pass", "marginal", "fail"]
NEAR_SHARE, NEAR_DEG, NEAR_DB = 0.10, 3.0, 3.0  # what still is marginal on the failing side; common practice, no source


SPARE_SHARE, SPARE_DEG, SPARE_DB = 0.05, 1.0, 1.0  # what a cure leaves to spare; common practice, no source
NOTHING_TO_SPARE = "with nothing to spare"


@dataclass(frozen=True)
class Wish:
    """`goal`: what the figure should be, at least or at most. `floor`: up to where it is marginal; None: by what is usual."""

    name: str
    goal: float
    unit: str
    at_least: bool
    source: str
    floor: float | None = None
    label: str = ""  # as a page says it

    @property
    def edge(self) -> float:
        """Beyond this it fails."""
        if self.floor is not None:
            return self.floor
        slack = {"°": NEAR_DEG, "dB": NEAR_DB}.get(self.unit, abs(self.goal) * NEAR_SHARE)
        return self.goal - slack if self.at_least else self.goal + slack

    @property
    def with_margin(self) -> Wish:
        """Return the wish that a cure is made to meet: nobody mounts a camera to the centimetre."""
        spare = {"°": SPARE_DEG, "dB": SPARE_DB}.get(self.unit, abs(self.goal) * SPARE_SHARE)
        return replace(self, goal=self.goal + spare if self.at_least else self.goal - spare)

    @property
    def spare(self) -> str:
        """Return in words what a cure leaves to spare."""
        own = {"°": f"{SPARE_DEG:g}°", "dB": f"{SPARE_DB:g} dB"}
        return f"with {own.get(self.unit, f'{100 * SPARE_SHARE:g} %')} to spare"

    def word(self, value: float) -> Word:
        sign = 1.0 if self.at_least else -1.0
        if sign * (value - self.goal) >= -1e-9:
            return "pass"
        return "marginal" if sign * (value - self.edge) >= -1e-9 else "fail"


@dataclass(frozen=True)
class Judged:
    """A figure held against its wish; what nobody can say (a point behind the camera) fails."""

    wish: Wish
    value: float | None
    cure: str | None = None

    @property
    def word(self) -> Word:
        return "fail" if self.value is None else self.wish.word(self.value)

    def as_dict(self) -> dict[str, Any]:
        return {"value": self.value, "wish": self.wish.goal, "verdict": self.word, "cure": self.cure}


OFTEN = "common practice, no source"
CHAR = Wish("char_px", 20, "px", True, OFTEN, floor=16, label="Character height")
STROKE = Wish("stroke_px", 2.5, "px", True, OFTEN, label="Stroke of a character")
EYES = Wish("eyes_px", 60, "px", True, OFTEN, floor=30, label="Between the eyes")
FRAMES = Wish("frames", 5, "", True, OFTEN, floor=3, label="Frames in the depth")
INCIDENCE_H = Wish("incidence_h_deg", 30, "°", False, OFTEN, label="Horizontal incidence")
INCIDENCE_V = Wish("incidence_v_deg", 30, "°", False, OFTEN, label="Vertical incidence")
PLATE_BLUR = Wish("blur_px", 1, "px", False, OFTEN, label="Blur")
FOCUS = Wish("focus_px", 1, "px", False, OFTEN, label="Out of focus")
FACE_YAW = Wish("yaw_deg", 30, "°", False, OFTEN, label="Face turned aside")
FACE_PITCH = Wish("pitch_deg", 15, "°", False, OFTEN, label="Face from above")
GLARE = Wish("glare_min", 20, "min", False, OFTEN, label="Sun in the picture")
SPOT = Wish("spot_px", 3, "px", True, OFTEN, label="Pixels on the target")
PLATE_ROLL = Wish("plate_roll_deg", 5, "°", False, OFTEN, label="Roll in the picture")
