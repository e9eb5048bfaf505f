"""The sides of a sector as dials: each value gives what a detector with that sector gives."""

from __future__ import annotations

import numpy as np
import pytest

from core.radar.scenes import SQUARE, detector, returns_of, sector, wandering
from lantern.core.dials import describe_dial
from lantern.core.faults import Refused
from lantern.core.radar.family import RADAR
from lantern.core.radar.sides import SectorSides, sides_of
from lantern.core.radar.subject import judge
from lantern.core.scoring.marks import Mark

MARKS = [Mark(5.0, 9.0, "expect"), Mark(20.0, 24.0, "expect")]
REGIONS = [SQUARE, sector("ahead", 2, -40, 15, 40)]


def held_with(regions: list):
    return judge(detector(regions, distance_m=0.6), RADAR, returns_of(wandering(np.random.default_rng(12))))


def test_each_side_is_swept_as_detectors_with_such_sectors_would_be() -> None:
    sides = sides_of(held_with(REGIONS), 1)
    values = {
        "near_m": [0.0, 6.0, 10.0],
        "far_m": [4.0, 9.0, 20.0],
        "left_deg": [-90.0, 0.0],
        "right_deg": [-20.0, 70.0],
    }
    told = set()
    for side, tried in values.items():
        for row in sides.rows_at(side, MARKS, tried):
            now = {"near_m": 2.0, "left_deg": -40.0, "far_m": 15.0, "right_deg": 40.0, side: row.value}
            other = sector("ahead", now["near_m"], now["left_deg"], now["far_m"], now["right_deg"])
            assert row.result == held_with([SQUARE, other]).result(MARKS)
            told.add(row.result)
    assert len(told) > 4
    assert sides.shown(describe_dial(SectorSides, "left_deg"))[0] <= -50


def test_sides_that_cross_are_refused_and_so_is_what_has_none() -> None:
    held = held_with(REGIONS)
    with pytest.raises(Refused, match="near below far"):
        sides_of(held, 1).with_dials(near_m=15.0)
    with pytest.raises(Refused, match="left below right"):
        sides_of(held, 1).with_dials(left_deg=40.0)
    with pytest.raises(Refused, match="a sector has sides"):
        sides_of(held, 0)
    with pytest.raises(Refused, match="one of the 2"):
        sides_of(held, 2)
