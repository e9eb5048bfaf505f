"""Examples of the family of radars: targets that wander, judged by a way nearer and by any."""

from __future__ import annotations

import numpy as np

from core.radar.scenes import SQUARE, detector, one_by_one, returns_of, sector, wandering
from examples import Example
from lantern.core.scoring.marks import Mark
from lantern.core.watch import Sample


def examples() -> list[Example]:
    returns = returns_of(wandering(np.random.default_rng(12)))
    samples = [Sample("radar", t, seen) for t, seen in one_by_one(returns)]
    marks = [Mark(5.0, 9.0, "expect"), Mark(20.0, 24.0, "expect"), Mark(30.0, 40.0, "quiet")]
    nearer = detector([sector("ahead", 2, -40, 15, 40), SQUARE], distance_m=0.6, bridge_s=1.2, gap_s=1.2, rearm_s=0.5)
    moves = detector(profile="any", distance_m=0.5, sustain_s=0.5, gap_s=1.2, min_rcs_dbsm=-5.0)
    return [Example(each, "radar", returns, samples, 0.5, marks) for each in (nearer, moves)]
