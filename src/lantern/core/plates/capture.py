"""What a take says of how well plates are captured: how large characters are, how many frames, how fast, at which angle.

From boxes alone: a character is 79 of a plate's 111 mm (editable), a plate 520 x 111 mm (the European long form, from memory). The
roll of the camera is not known, and makes a plate's box higher than the plate.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from lantern.core.plates.approach import NAMES, Approach
from lantern.core.plates.passages import Passages
from lantern.core.plates.reads import Reads
from lantern.core.watching import Bools, Indices

CHARACTER_MM, PLATE_HEIGHT_MM, PLATE_WIDTH_MM = 79.0, 111.0, 520.0
QUARTILES = (25, 50, 75)
LEAST_READS = 3  # two points always lie on a line


@dataclass(frozen=True)
class Spread:
    """Quartiles over n reads or passages, and the least."""

    n: int
    least: float
    low: float
    middle: float
    high: float

    def as_dict(self) -> dict[str, Any]:
        return {"n": self.n, "least": self.least, "low": self.low, "middle": self.middle, "high": self.high}


def spread(values: Any) -> Spread | None:
    held = np.asarray(values, dtype=np.float64)
    held = held[np.isfinite(held)]
    if held.size == 0:
        return None
    low, middle, high = np.percentile(held, QUARTILES)
    return Spread(int(held.size), float(held.min()), float(low), float(middle), float(high))


def angle_deg(
    width_px: Any, height_px: Any, *, width_mm: float = PLATE_WIDTH_MM, height_mm: float = PLATE_HEIGHT_MM
) -> Any:
    """Horizontal angle from which a plate is seen: it is narrower by the cosine; 0 where it is not narrower at all."""
    ratio = np.asarray(width_px) / np.asarray(height_px) / (width_mm / height_mm)
    return np.degrees(np.arccos(np.clip(ratio, 0.0, 1.0)))


def approach_share_s(t_s: Any, height_px: Any) -> tuple[float, str] | None:
    """(slope of the plate's height over time as a share of its mean a second, which way that is); None: too few reads."""
    t, h = np.asarray(t_s, dtype=np.float64), np.asarray(height_px, dtype=np.float64)
    approach, one = Approach(1), np.zeros(1, dtype=np.intp)
    for at, height in zip(t, h, strict=True):
        approach.add(one, np.array([at]), np.array([height]))
    slope = float(approach.slopes(one)[0][0])
    return None if np.isnan(slope) else (slope / float(h.mean()), NAMES[int(approach.ways(one)[0])])


def speed_kmh(t_s: Any, height_px: Any, *, focal_px: float, plate_mm: float = PLATE_HEIGHT_MM) -> float | None:
    """Speed along the camera's axis: a plate of a known height at so many pixels is so far away (pinhole, textbook), and a
    line through the distances has the speed as its slope. None: fewer than three reads, or all at one time.
    """
    t, h = np.asarray(t_s, dtype=np.float64), np.asarray(height_px, dtype=np.float64)
    if t.size < LEAST_READS or float(np.ptp(t)) <= 0:
        return None
    distance_m = focal_px * plate_mm / 1000 / h
    return 3.6 * abs(float(np.polyfit(t - t.mean(), distance_m, 1)[0]))


def captured(
    reads: Reads,
    passages: Passages,
    counted: Bools,
    own: Indices,
    *,
    character_mm: float = CHARACTER_MM,
    plate_mm: float = PLATE_HEIGHT_MM,
    focal_px: float | None = None,
) -> dict[str, Any]:
    """Figures over the passages `own`: character height (px), reads a passage, angle (deg), which way they go and how fast: in
    km/h where the focal length is known, else as the plate's growth. Those whose way is not known have no speed.
    """
    rows = [passages.reads[number][counted[passages.reads[number]]] for number in own.tolist()]
    boxed = [each[~np.isnan(reads.plate[each, 3])] for each in rows]
    every = np.concatenate(boxed) if boxed else np.zeros(0, dtype=np.intp)
    plate = reads.plate[every]
    ways = {"towards": 0, "away": 0, "unknown": 0}
    growth, speeds = [], []
    for each in boxed:
        found = approach_share_s(reads.t_s[each], reads.plate[each, 3])
        ways["unknown" if found is None else found[1]] += 1
        if found is not None:
            growth.append(100 * abs(found[0]))
        if found is not None and found[1] != "unknown" and focal_px is not None:
            speeds.append(speed_kmh(reads.t_s[each], reads.plate[each, 3], focal_px=focal_px, plate_mm=plate_mm))
    return {
        "character_px": _told(spread(plate[:, 3] * character_mm / plate_mm)),
        "reads": _told(spread([each.size for each in rows])),
        "angle_deg": _told(spread(angle_deg(plate[:, 2], plate[:, 3]))),
        "growth_percent_s": _told(spread(growth)),
        "speed_kmh": _told(spread([speed for speed in speeds if speed is not None])),
        "ways": ways,
    }


def _told(found: Spread | None) -> dict[str, Any] | None:
    return None if found is None else found.as_dict()
