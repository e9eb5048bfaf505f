"""Examples of the family of readings."""

from __future__ import annotations

from core.test_kinds import detector, picture
from examples import Example
from lantern.core.readings.family import HEAT, SKIN
from lantern.core.scoring.marks import Mark
from lantern.core.signals import frames_of
from lantern.core.watch import Sample


def examples() -> list[Example]:
    frames = picture()
    [pixels] = frames.blocks()
    scale = {"scale": frames.scale, "offset_c": frames.offset_c, "recorded": frames.recorded}
    samples = [
        Sample("heat", float(t), frames_of(pixels[i : i + 1], frames.t_s[:1], **scale))
        for i, t in enumerate(frames.t_s)
    ]
    marks = [Mark(1.5, 8, "expect"), Mark(11.5, 18, "expect"), Mark(31.5, 38, "expect"), Mark(52, 59, "ignore")]
    kinds = ((HEAT, {}), (HEAT, {"condition": "rise", "delta_c": 5, "window_s": 4}), (SKIN, {"threshold_c": 37.0}))
    return [Example(detector(kind, **dials), "heat", frames, samples, 0.25, marks) for kind, dials in kinds]
