"""Registration by a walk finds where the radar stands, and by how much two clocks are apart; standing points find who stood there."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest

from lantern.core.faults import Refused
from lantern.core.registration.stood import Point, stood
from lantern.core.registration.walk import Track, walked

# the radar stands at (40, 20) and looks to 30 degrees: counter-clockwise, x right and y ahead are turned by -30 degrees
MOUNT_X, MOUNT_Y, AZIMUTH_DEG = 40.0, 20.0, 30.0
CORNERS = [(45.0, 35.0), (58.0, 44.0), (50.0, 55.0), (62.0, 50.0), (44.0, 48.0), (60.0, 36.0)]
SPEED_MPS = 1.3


def on_the_way(t_s: np.ndarray) -> np.ndarray:
    """(n, 2): a walk from corner to corner, at a steady speed."""
    legs = np.cumsum([0.0, *(math.dist(a, b) / SPEED_MPS for a, b in pairwise(CORNERS))])
    return np.column_stack([np.interp(t_s, legs, [corner[axis] for corner in CORNERS]) for axis in (0, 1)])


def before_the_radar(places: np.ndarray) -> np.ndarray:
    """(n, 2): x to its right and y ahead, by bearings as a surveyor takes them."""
    away = np.hypot(places[:, 0] - MOUNT_X, places[:, 1] - MOUNT_Y)
    bearing = np.degrees(np.arctan2(places[:, 0] - MOUNT_X, places[:, 1] - MOUNT_Y)) - AZIMUTH_DEG
    return np.column_stack((away * np.sin(np.radians(bearing)), away * np.cos(np.radians(bearing))))


def seen(rng: np.random.Generator, spread_m: float = 0.3) -> tuple[np.ndarray, np.ndarray]:
    t_s = np.arange(3.0, 50.0, 0.1)
    return t_s, before_the_radar(on_the_way(t_s)) + rng.normal(0, spread_m, (t_s.size, 2))


def track(rng: np.random.Generator, ahead_s: float, error_m: float = 0.0) -> Track:
    t_s = np.arange(0.0, 55.0, 1.0)
    places = on_the_way(t_s) + rng.normal(0, error_m, (t_s.size, 2))
    return Track(t_s + ahead_s, places[:, 0], places[:, 1], error_m or None)


@pytest.mark.parametrize("ahead_s", [0.0, 3.7, -41.2])
def test_the_mount_is_found_and_so_is_the_shift_of_the_clocks(ahead_s: float) -> None:
    inside = 0
    for seed in range(6):
        rng = np.random.default_rng(seed)
        found = walked([("w", *seen(rng))], track(rng, ahead_s, 0.2))
        parameters = found.report["parameters"]
        assert parameters["rotation_deg"] == pytest.approx(-AZIMUTH_DEG, abs=0.8)
        assert parameters["shift_m"] == pytest.approx([MOUNT_X, MOUNT_Y], abs=0.4)
        assert found.shift_s == pytest.approx(ahead_s, abs=0.3)
        assert found.report["rms"] < 0.5
        assert not found.report["mirrored"]
        assert found.shift_from_s is not None
        assert found.shift_to_s is not None
        inside += found.shift_from_s <= ahead_s <= found.shift_to_s
    assert inside >= 4  # an interval of 95 %: of six at most two miss but once in 470 times


def test_of_several_targets_that_one_who_walked_is_taken() -> None:
    rng = np.random.default_rng(1)
    t_s, places = seen(rng)
    fence = (t_s, np.column_stack((3 + 0.2 * np.sin(t_s), 8 + 0.1 * np.cos(t_s))))
    straight = (t_s, np.column_stack((-20 + t_s * 0.5, np.full(t_s.size, 30.0))))
    found = walked([("fence", *fence), ("straight", *straight), ("w7", t_s, places)], track(rng, 2.0))
    assert found.target == "w7"


def test_a_mirrored_radar_is_told_and_a_straight_walk_tells_no_clocks() -> None:
    rng = np.random.default_rng(4)
    t_s, places = seen(rng)
    found = walked([("w", t_s, places * [-1, 1])], track(rng, 0.0), shift_s=0.0)
    assert found.report["mirrored"]
    assert found.shift_from_s is None
    along = np.arange(0.0, 60.0, 1.0)
    straight = Track(along, 45 + 0.8 * along * 0.6, 30 + 0.8 * along * 0.8)
    t_s = np.arange(5.0, 50.0, 0.2)
    there = np.column_stack((45 + 0.8 * t_s * 0.6, 30 + 0.8 * t_s * 0.8))
    found = walked([("w", t_s, before_the_radar(there) + rng.normal(0, 0.2, (t_s.size, 2)))], straight)
    assert any("hardly tells how far the clocks are apart" in each for each in found.report["warnings"])


def test_nobody_who_walked_is_said() -> None:
    with pytest.raises(Refused, match="no target was seen for 20 s"):
        walked([("w", np.arange(0, 10, 0.1), np.zeros((100, 2)))], track(np.random.default_rng(0), 0.0))


def test_standing_points_find_who_stood_there() -> None:
    rng = np.random.default_rng(9)
    places = np.array([(45.0, 40.0), (58.0, 44.0), (50.0, 58.0), (66.0, 50.0), (47.0, 55.0)])
    own = before_the_radar(places)
    t_s = np.arange(0.0, 100.0, 0.2)
    stand = np.minimum((t_s // 20).astype(int), 4)
    walker = (t_s, own[stand] + rng.normal(0, 0.2, (t_s.size, 2)))
    fence = (t_s, np.column_stack((np.full(t_s.size, 4.0), np.full(t_s.size, 9.0))) + rng.normal(0, 0.1, (t_s.size, 2)))
    points = [Point(x, y, 20 * at + 5, 20 * at + 15) for at, (x, y) in enumerate(places.tolist())]
    pairs, who = stood(points, [("fence", *fence), ("walker", *walker)])
    assert who == ["walker"] * 5
    assert pairs[:, :2] == pytest.approx(own, abs=0.2)
    with pytest.raises(Refused, match="at least 4"):
        stood(points[:3], [("walker", *walker)])
    with pytest.raises(Refused, match="was seen from 205 to 215 s"):
        stood([*points[:4], Point(1, 2, 205, 215)], [("walker", *walker)])
