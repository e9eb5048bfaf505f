"""Exact sweeps of band and dwell time equal running every value: pauses, re-arm times, several objects and regions."""

from __future__ import annotations

import itertools
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from builders import subject_of
from lantern.core.events import Detector
from lantern.core.scoring.marks import Mark
from lantern.core.scoring.tally import SHOWN
from lantern.core.tracks import Tracks
from wandering import REGIONS, wandering

MARKS = [
    Mark(3, 6, "expect"),
    Mark(5, 9, "expect"),
    Mark(9, 9.5, "ignore"),
    Mark(12, 20, "expect"),
    Mark(25, 26, "quiet"),
]


@pytest.mark.parametrize(
    ("kind", "dial", "high"), [("crossing", "band", 30.0), ("count", "band", 30.0), ("zone", "dwell_s", 20.0)]
)
@given(tracks=wandering(), data=st.data())
@settings(max_examples=150, deadline=None)
def test_equal_to_every_value_by_itself(kind: str, dial: str, high: float, tracks: Tracks, data: st.DataObject) -> None:
    dials: dict[str, Any] = {"rearm_s": data.draw(st.sampled_from([0.0, 2.0, 5.0])), "gap_s": 2.0}
    dials["rearm_extends"] = data.draw(st.booleans())
    if kind == "zone":
        dials["when"] = "inside"
        dials |= {name: data.draw(st.sampled_from([0.0, 0.5, 1.5])) for name in ("enter_after_s", "leave_after_s")}
    if kind == "crossing":
        dials["direction"] = data.draw(st.sampled_from(["both", "a_to_b"]))
    held = subject_of(Detector(name="d", kind=kind, regions=REGIONS[kind], dials=dials), tracks)
    low = data.draw(st.sampled_from([0.0, 1.5]))
    rows = held.sweep(dial, MARKS, low=low, high=high)
    assert (rows[0].start, rows[-1].stop) == (low, high)
    assert all(a.stop == b.start and a.result[:SHOWN] != b.result[:SHOWN] for a, b in itertools.pairwise(rows))
    for value in np.random.default_rng(1).uniform(low, high, 25).tolist() + [row.value for row in rows]:
        row = next(r for r in rows if r.start <= value <= r.stop)
        if min(value - row.start, row.stop - value) > 1e-5:
            assert held.with_dials(**{dial: value}).result(MARKS)[:SHOWN] == row.result[:SHOWN], value
