"""Where those are on the plan whom a device sees: by a camera's picture, by a radar's returns, and nobody who is not seen any more."""

from __future__ import annotations

import time

import numpy as np
import pytest

from lantern.core.company import Stands
from lantern.core.optics.mount import Mount, View
from lantern.core.radar.returns import Return
from lantern.core.tracks import Seen
from lantern.core.watch import Sample
from lantern.live.whereabouts import Whereabouts
from lantern.signals.register import signal_of
from live.test_steering import CAMERA, PIXELS, box

STANDS = Stands(CAMERA, PIXELS)


def test_somebody_in_a_picture_is_where_their_feet_are() -> None:
    found = signal_of("tracks").whereabouts([box(3.0, 11.0), Seen("sky", (300.0, -9000.0, 5.0, 5.0))], STANDS)
    assert set(found) == {"1"}  # above the horizon there is no ground
    assert found["1"] == pytest.approx((3.0, 11.0), abs=1e-6)
    assert signal_of("tracks").whereabouts([box(3.0, 11.0)], Stands(None, PIXELS)) == {}


def test_a_radars_target_is_where_range_and_azimuth_say() -> None:
    """By hand: from 100, 50 to the east, 20 m away at 30 degrees to the right of the axis, which is 30 degrees south of east."""
    stands = Stands({"x_m": 100.0, "y_m": 50.0, "azimuth_deg": 90.0})
    found = signal_of("radar").whereabouts([Return("t1", 20.0, 30.0, 0.0, 0.0)], stands)
    assert found["t1"] == pytest.approx((100 + 20 * np.cos(np.radians(30)), 50 - 10.0))
    assert signal_of("radar").whereabouts([Return("t1", 20.0, 30.0, 0.0, 0.0)], Stands(None)) == {}


def test_who_is_not_seen_any_more_is_nowhere(monkeypatch: pytest.MonkeyPatch) -> None:
    held = Whereabouts({1: STANDS})
    held.take(1, Sample("tracks", 0.0, [box(0.0, 12.0)]))
    assert held.of(1, "1") == pytest.approx((0.0, 12.0), abs=1e-6)
    assert held.of(1, "2") is None
    assert held.of(2, "1") is None
    later = time.monotonic() + 2.5
    monkeypatch.setattr(time, "monotonic", lambda: later)
    assert held.of(1, "1") is None


def test_what_a_pixel_shows_of_the_ground() -> None:
    held = Whereabouts({1: STANDS})
    pixel = View(Mount(**CAMERA, pixels=PIXELS)).pixels(np.array([2.0, 9.0, 0.0]))
    assert held.beneath(1, (float(pixel[0]), float(pixel[1]))) == pytest.approx((2.0, 9.0), abs=1e-6)
    assert held.beneath(1, (10.0, -9000.0)) is None
    assert held.beneath(7, (10.0, 10.0)) is None
