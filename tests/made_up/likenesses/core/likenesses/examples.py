"""Examples of likenesses."""

from __future__ import annotations

import numpy as np
from lantern.core.likenesses.probes import Likeness, Probes

from examples import Example
from lantern.core.events import Detector
from lantern.core.watch import Sample

GATE = Detector(name="d", kind="likeness")


def probes() -> Probes:
    """Ada is known with 0.9 and not with 0.6; a stranger is nearest to Bo, with 0.75; Bo with 0.8."""
    came = [
        Likeness("p1", "Ada", 0.9),
        Likeness("p2", "Ada", 0.6),
        Likeness("p3", "Bo", 0.75),
        Likeness("p4", "Bo", 0.8),
    ]
    return Probes(np.array([1.0, 3.0, 6.0, 8.0]), tuple(came))


TRULY = {"p1": "Ada", "p2": "Ada", "p3": "stranger", "p4": "Bo"}


def examples() -> list[Example]:
    made = probes()
    samples = [Sample("likenesses", t, [one]) for t, one in zip(made.t_s.tolist(), made.likenesses, strict=True)]
    return [Example(GATE, "likenesses", made, samples, 1.0)]
