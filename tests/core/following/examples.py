"""Examples of the family of heads that follow: people who walk past one, who come and go."""

from __future__ import annotations

import numpy as np

from core.following.walks import HEAD, line, standing, tracks
from examples import Example
from lantern.core.kinds import detector_of
from lantern.core.scoring.marks import Mark
from lantern.core.tracks import Seen
from lantern.core.watch import Sample


def examples() -> list[Example]:
    held = tracks([line(5, -20, 25, 20, 25, 2.0), line(30, 20, 15, -20, 30, 3.0), standing(5, 30, 50, 55)], 60.0)
    samples = []  # cameras send frames that show nobody, too
    for t in np.round(np.arange(0, held.length_s + 0.05, 0.1), 6).tolist():
        rows = np.flatnonzero(np.abs(held.t_s - t) < 1e-6).tolist()
        seen = [Seen(int(held.object[row]), tuple(held.box[row].tolist())) for row in rows]
        samples.append(Sample("plan-tracks", t, seen))
    marks = [Mark(6.0, 20.0, "expect"), Mark(50.0, 55.0, "expect")]
    document = {"name": "f", "kind": "follow", "head": HEAD, "dials": {"cap_s": None, "switch_gain": None}}
    return [Example(detector_of(document), "plan-tracks", held, samples, 0.1, marks)]
