"""Examples of echoes, with the truth of how they were made: something is strong ahead from 5 s to 9 s."""

from __future__ import annotations

import numpy as np
from lantern.core.echoes.sweeps import Echo, Sweeps

from examples import Example
from lantern.core.events import Detector, Region
from lantern.core.watch import Sample

AHEAD = Detector(
    name="d", kind="echo", regions=(Region(name="ahead", shape="polygon", points=((-3, 4), (3, 4), (3, 10), (-3, 10))),)
)


def sweeps() -> Sweeps:
    """One sweep each half second: a wall far to the left always, and from 5 s to 9 s something 7 m ahead."""
    t_s = np.arange(40) / 2
    wall = Echo(18.0, -60.0, 45.0)
    return Sweeps(t_s, tuple((wall, Echo(7.0, 10.0, 32.0)) if 5 <= t <= 9 else (wall,) for t in t_s.tolist()))


def examples() -> list[Example]:
    made = sweeps()
    samples = [Sample("echoes", t, each) for t, each in zip(made.t_s.tolist(), made.echoes, strict=True)]
    return [Example(AHEAD, "echoes", made, samples, 0.5)]
