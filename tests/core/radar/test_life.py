"""A target's life says return by return what the words of the dials say."""

from __future__ import annotations

import numpy as np

from core.radar.scenes import sector, subject
from lantern.core.radar.life import STATES

# one target that comes 0.5 m a second; a return a second, bridge 2 s, distance 1.5 m, sector up to 10 m, sizes from 0 dBsm
ROWS = [
    (0.0, "a", 11.0, 0.0, -0.5, 5.0),  # outside
    (1.0, "a", 10.0, 0.0, 0.1, 5.0),  # another way, and no run yet
    (2.0, "a", 9.5, 0.0, -0.5, 5.0),  # a run begins
    (3.0, "a", 9.4, 0.0, -0.1, 5.0),  # forgiven
    (4.0, "a", 8.9, 0.0, -0.5, 5.0),
    (5.0, "a", 8.8, 0.0, -0.5, -3.0),  # left out by its size
    (6.0, "a", 8.0, 0.0, -0.5, 5.0),  # 1.5 m nearer than 9.5
    (7.0, "a", 7.9, 0.0, 0.0, 5.0),  # forgiven, and the run has come far enough
    (8.0, "a", 8.1, 0.0, 0.2, 5.0),  # 2 s since the last that fitted: over
]


def test_each_return_is_what_the_words_say() -> None:
    held = subject(
        ROWS,
        [sector("near", 0, -30, 10, 30)],
        distance_m=1.5,
        bridge_s=2.0,
        gap_s=5.0,
        min_speed_mps=0.3,
        min_rcs_dbsm=0.0,
    )
    life = held.life(0, held.detector.watched[0])
    assert [STATES[each] for each in life.state] == [
        "outside",
        "another way",
        "on its way",
        "forgiven",
        "on its way",
        "left out",
        "far enough",
        "far enough",
        "another way",
    ]
    assert np.isnan(life.way_m[[0, 1, 5, 8]]).all()
    assert life.way_m[[2, 4, 6]].round(6).tolist() == [0.0, 0.6, 1.5]
    assert [event.raised_s for event in held.events()] == [6.0]
