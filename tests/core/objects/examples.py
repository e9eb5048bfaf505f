"""Examples of the family of objects: four who cross, turn back, stay, and take the long way."""

from __future__ import annotations

import numpy as np

from examples import Example
from lantern.core.events import Detector
from lantern.core.scoring.marks import Mark
from lantern.core.tracks import Seen, Tracks, make_tracks
from lantern.core.watch import Sample
from wandering import REGIONS

FEET = {  # by frame, ten a second: where each stands
    1: [(20.0, 8.0 + i) for i in range(26)],
    2: [(24.0, 10.0 + min(i, 24 - i)) for i in range(25)],
    3: [(4.0, 4.0), *((6.0 + i, 9.0 + i) for i in range(18))],
    4: [*((6.0 + 2 * i, 6.0 + i / 2) for i in range(10)), *((24.0 - i, 11.0 + i) for i in range(10))],
}


def tracks() -> Tracks:
    rows = [(i / 10, number, x, y) for number, feet in FEET.items() for i, (x, y) in enumerate(feet)]
    t_s, ids, x, y = (np.array(column) for column in zip(*sorted(rows), strict=True))
    box = np.column_stack((x - 2, y - 8, np.full(x.size, 4.0), np.full(x.size, 8.0)))
    sure, labels = np.full(x.size, 0.9), ["person"] * x.size
    return make_tracks(t_s, ids.astype(np.int64), box, confidence=sure, labels=labels, frame_px=(40, 40), last_s=3.0)


def examples() -> list[Example]:
    held = tracks()
    samples = []
    for t in np.unique(held.t_s).tolist():
        here = np.flatnonzero(held.t_s == t).tolist()
        seen = [Seen(held.ids[held.object[i]], tuple(held.box[i].tolist()), 0.9, "person") for i in here]
        samples.append(Sample("tracks", t, seen))
    own = (
        ("crossing", {"band": 1.0}),
        ("count", {"band": 1.0, "capacity": 2}),
        ("zone", {"when": "inside", "dwell_s": 0.4}),
        ("path", {"within_s": 10.0}),
    )
    marks = [Mark(0.5, 1.5, "expect"), Mark(1.8, 2.6, "quiet")]
    size = {"width": 40, "height": 40}
    return [
        Example(
            Detector(name="d", kind=kind, regions=REGIONS[kind], dials=dials),
            "tracks",
            held,
            samples,
            0.1,
            marks,
            facts=size,
            info=size,
        )
        for kind, dials in own
    ]
