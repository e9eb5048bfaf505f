"""Objects that wander over a coarse grid, and what watches them there: for tests that compare two ways to the same answer."""

from __future__ import annotations

import numpy as np
from hypothesis import strategies as st

from lantern.core.objects.region import ObjectRegion
from lantern.core.tracks import Tracks, make_tracks

LINE = ObjectRegion(name="line", shape="line", points=((10, 20), (30, 22)))
OTHER = ObjectRegion(name="other", shape="line", points=((20, 5), (20, 35)))
ZONE = ObjectRegion(name="zone", shape="box", points=((12, 12), (28, 28)))
CORNER = ObjectRegion(name="corner", shape="polygon", points=((0, 0), (18, 0), (0, 18)))
FIGURES = (
    ObjectRegion(name="near", shape="line", points=((5, 38), (5, 26)), role="reference", target_mm=1800),
    ObjectRegion(name="far", shape="line", points=((5, 12), (5, 8)), role="reference", target_mm=1800),
)
CLASSES = ("person", "trolley", "")
REGIONS = {"crossing": (LINE, OTHER), "count": (LINE,), "zone": (ZONE, CORNER), "path": (CORNER, OTHER, ZONE)}


@st.composite
def wandering(draw: st.DrawFn) -> Tracks:
    """A few objects on a coarse grid, so that edges, lines and corners are hit; with pauses, doubts and changing classes."""
    rng = np.random.default_rng(draw(st.integers(0, 2**32 - 1)))
    t_s, ids, boxes, sure, labels, tall_m = [], [], [], [], [], []
    for number in range(draw(st.integers(1, 3))):
        n = int(rng.integers(2, 30))
        t = np.cumsum(rng.choice([0.5, 0.5, 0.5, 1.0, 4.0], n)) + rng.integers(0, 4)
        foot = np.clip(np.cumsum(rng.integers(-6, 7, (n, 2)), axis=0) + rng.integers(0, 40, 2), 0, 40)
        height = rng.choice([4, 8, 12], n)
        t_s += t.tolist()
        ids += [number] * n
        boxes += np.column_stack((foot[:, 0] - 2, foot[:, 1] - height, np.full(n, 4), height)).tolist()
        sure += rng.choice([0.2, 0.6, 0.9], n).tolist()
        labels += rng.choice(CLASSES, n).tolist()
        tall_m += rng.choice([1.0, 1.7, np.nan], n).tolist()
    order = np.array(t_s), np.array(ids, dtype=np.int64), np.array(boxes, dtype=float)
    seen = {"confidence": np.array(sure), "labels": labels, "height_m": np.array(tall_m)}
    return make_tracks(*order, **seen, frame_px=(40, 40), last_s=40.0)
