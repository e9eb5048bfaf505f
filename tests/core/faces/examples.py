"""Examples of the family of faces: who comes on a list, and who comes on none."""

from __future__ import annotations

import numpy as np

from core.faces.scenes import detector, one_by_one, wandering
from examples import Example
from lantern.core.scoring.marks import Mark
from lantern.core.watch import Sample

LISTS = [("crew", None, ["c0", "c1"]), ("barred", 70.0, ["c2"])]


def examples() -> list[Example]:
    looks = wandering(np.random.default_rng(4))
    samples = [Sample("faces", t, [look]) for t, look in one_by_one(looks)]
    marks = [Mark(10.0, 20.0, "expect"), Mark(30.0, 35.0, "quiet")]
    listed = detector(LISTS, threshold=75.0, holdoff_s=1.0)
    unlisted = detector(LISTS, threshold=75.0, when="unlisted", rearm_s=1.0)
    return [Example(each, "faces", looks, samples, 0.5, marks) for each in (listed, unlisted)]
