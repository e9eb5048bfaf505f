"""Examples of badges, with the truth of how they were made: three stand together in one corner from 10 s to 20 s."""

from __future__ import annotations

import numpy as np
from lantern.core.badges.fixes import Fix, Fixes

from examples import Example
from lantern.core.events import Detector, Region
from lantern.core.watch import Sample

CORNER = Detector(
    name="d",
    kind="crowd",
    regions=(Region(name="corner", shape="polygon", points=((10, 10), (20, 10), (20, 20), (10, 20))),),
)


def fixes() -> Fixes:
    """One moment a second: three badges, far apart but from 10 s to 20 s."""
    t_s = np.arange(40, dtype=np.float64)
    apart = (Fix("a", 5, 5), Fix("b", 40, 8), Fix("c", 55, 30))
    together = (Fix("a", 12, 12), Fix("b", 14, 15), Fix("c", 18, 17))
    return Fixes(t_s, tuple(together if 10 <= t <= 20 else apart for t in t_s.tolist()))


def examples() -> list[Example]:
    made = fixes()
    samples = [Sample("fixes", t, each) for t, each in zip(made.t_s.tolist(), made.moments, strict=True)]
    return [Example(CORNER, "fixes", made, samples, 1.0)]
