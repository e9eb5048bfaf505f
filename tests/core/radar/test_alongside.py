"""What a radar and a camera saw of the same things is told from what only one of them saw."""

from __future__ import annotations

import numpy as np

from lantern.core.radar.alongside import Sighting, alongside


def walk(name: str, start: float, stop: float, x: float, y: float, vx: float = 1.0, *, late_s: float = 0.0) -> Sighting:
    t = np.arange(start, stop, 0.2)
    return Sighting(name, t + late_s, x + vx * (t - start), np.full(t.size, y))


def test_each_is_told_by_its_two_names_and_the_rest_by_one() -> None:
    radar = [
        walk("r1", 0, 20, 0, 10),
        walk("r2", 0, 20, 0, 14),
        walk("gull", 5, 12, 30, 30, 6.0),
        walk("blip", 3, 4, 0, 10),
    ]
    camera = [walk("c1", 2, 18, 2.3, 10.4), walk("c2", 0, 20, 0.2, 13.6), walk("spider", 0, 20, -40, 5, 0.1)]
    found = alongside(radar, camera, gate_m=3.0, within_s=0.0)
    assert {(each.radar, each.camera) for each in found.both} == {("r1", "c1"), ("r2", "c2")}
    [one] = [each for each in found.both if each.radar == "r1"]
    assert (one.from_s, round(one.apart_m, 2)) == (2.0, 0.5)  # 0.3 m along and 0.4 m across
    assert found.radar_alone == ("gull", "blip")
    assert found.camera_alone == ("spider",)


def test_clocks_may_be_apart_as_far_as_is_said() -> None:
    radar, camera = [walk("r1", 0, 30, 0, 10, 3.0)], [walk("c1", 0, 30, 0, 10, 3.0, late_s=2.0)]
    assert alongside(radar, camera, gate_m=2.0, within_s=0.0).both == ()  # 6 m apart at 3 m/s
    [both] = alongside(radar, camera, gate_m=2.0, within_s=2.0).both
    assert both.apart_m < 0.1


def test_most_pairs_come_first_and_nobody_is_two() -> None:
    """By hand: r1 lies 0.4 m from c1 and 1 m from c2, r2 0.5 m from c1 and 4 m from c2: r1 with c2 leaves both a partner."""
    radar, camera = (
        [walk("r1", 0, 9, 0, 10.4), walk("r2", 0, 9, 0, 9.5)],
        [walk("c1", 0, 9, 0, 10.0), walk("c2", 0, 9, 0, 11.4)],
    )
    found = alongside(radar, camera, gate_m=1.5, within_s=0.0)
    assert {(each.radar, each.camera) for each in found.both} == {("r1", "c2"), ("r2", "c1")}
    assert alongside([], camera, gate_m=1.5, within_s=0.0).camera_alone == ("c1", "c2")
