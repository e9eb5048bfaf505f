"""A moved unit: what its take would be is what a radar over there would have said of the same walkers; the least move is the least."""

from __future__ import annotations

import itertools
import math
from dataclasses import replace

import numpy as np
import pytest
import shapely

from core.radar.scenes import Row, detector, returns_of, sector
from lantern.core.promise.plan import Occluder
from lantern.core.promise.radar import Radar, reach, sees
from lantern.core.radar.family import RADAR
from lantern.core.radar.frame import Frame
from lantern.core.radar.least import from_there, least_move
from lantern.core.radar.moving import moved_regions, reach_shown, seen_from, unknown_ground
from lantern.core.radar.regions import RadarDetector
from lantern.core.radar.subject import judge
from lantern.core.scoring.marks import Mark

OLD = Radar(x_m=100.0, y_m=50.0, height_m=3.0, azimuth_deg=20.0, sector_deg=180.0, range_m=60.0)
NEW = OLD.model_copy(update={"x_m": 85.0, "y_m": 58.0, "azimuth_deg": 50.0})
WALKS = (((90.0, 75.0), (110.0, 72.0), 1.3), ((130.0, 90.0), (102.0, 60.0), 1.2), ((80.0, 80.0), (120.0, 81.0), 1.5))


def said_by(mount: Radar, rng: np.random.Generator | None = None) -> list[Row]:
    """What a radar says of walkers on the plan, by trigonometry alone; with noise of a real one, or without."""
    rows: list[Row] = []
    for number, (start, end, speed) in enumerate(WALKS):
        length = math.dist(start, end)
        way = ((end[0] - start[0]) / length, (end[1] - start[1]) / length)
        for step in range(int(length / speed * 10)):
            t = step / 10
            x, y = start[0] + way[0] * speed * t - mount.x_m, start[1] + way[1] * speed * t - mount.y_m
            away = math.hypot(x, y)
            bearing = (math.degrees(math.atan2(x, y)) - mount.azimuth_deg + 180) % 360 - 180
            radial = speed * (way[0] * x + way[1] * y) / away
            if rng is not None:
                away, bearing = away + rng.normal(0, 0.12), bearing + rng.normal(0, 0.8)
                radial += rng.normal(0, 0.05)
            rows.append((round(t, 3), number, away, bearing, radial, 0.0))
    return sorted(rows)


def test_frames_lie_on_the_plan_as_bearings_do() -> None:
    x, y = Frame(10.0, 20.0, 90.0).onto_plan(np.array([1.0, 0.0]), np.array([5.0, 2.0]))
    assert x == pytest.approx([15.0, 12.0])  # looking east, ahead is east and right is south
    assert y == pytest.approx([19.0, 20.0])
    frame = Frame(3.0, -4.0, 213.0)
    back = frame.from_plan(*frame.onto_plan(np.array([1.5]), np.array([7.0])))
    assert [float(each[0]) for each in back] == pytest.approx([1.5, 7.0])


@pytest.mark.parametrize("noisy", [False, True])
def test_the_take_from_there_is_what_a_radar_there_says(noisy: bool) -> None:
    rng = np.random.default_rng(5) if noisy else None
    moved = seen_from(returns_of(said_by(OLD, rng)), OLD, NEW).returns
    truly = {(t, target): row for t, target, *row in said_by(NEW)}
    assert len(moved) > 0.9 * len(truly)
    off = []
    for row, t in enumerate(moved.t_s.tolist()):
        away, bearing, radial, _ = truly[round(t, 3), moved.ids[int(moved.target[row])]]
        turned = (float(moved.azimuth_deg[row]) - bearing + 180) % 360 - 180
        off.append((float(moved.range_m[row]) - away, turned, float(moved.speed_mps[row]) - radial))
    spread = np.abs(np.array(off)).T
    if noisy:  # places of 0.4 m spread, thirty of them: 0.1 m and 0.15 m/s; a turning walker is none of them
        assert (np.median(spread, axis=1) < [0.1, 0.3, 0.15]).all()
        assert np.quantile(spread[2], 0.95) < 0.5
    else:
        assert spread.max(axis=1) == pytest.approx([0.0, 0.0, 0.0], abs=1e-6)


def test_a_turn_keeps_what_was_measured_and_only_its_sector_changes() -> None:
    rows = said_by(OLD, np.random.default_rng(2))
    returns, turned = returns_of(rows), OLD.model_copy(update={"azimuth_deg": 110.0})
    moved = seen_from(returns, OLD, turned)
    bearings = [(row[3] + 20.0 - 110.0 + 180) % 360 - 180 for row in rows]
    inside = [abs(bearing) <= 90.0 for bearing in bearings]
    assert 0 < sum(inside) < len(rows)
    assert moved.lost == len(rows) - sum(inside)
    assert moved.returns.azimuth_deg.tolist() == pytest.approx(list(itertools.compress(bearings, inside)))
    assert moved.returns.speed_mps.tolist() == list(itertools.compress([row[4] for row in rows], inside))
    loud = replace(returns, snr_db=np.arange(float(len(returns))))  # what goes with a return goes with it
    kept = seen_from(loud, OLD, turned).returns.snr_db
    assert kept is not None
    assert kept.tolist() == list(itertools.compress(range(len(rows)), inside))
    back = seen_from(returns, OLD, OLD)
    assert back.returns.azimuth_deg.tolist() == pytest.approx(returns.azimuth_deg.tolist())
    assert back.lost <= len(rows) // 100 + 1


def test_what_the_take_shows_of_its_reach_counts_for_more_than_the_promise() -> None:
    near = OLD.model_copy(update={"range_m": 20.0})
    returns = returns_of(said_by(near))
    assert reach_shown(returns, near) == pytest.approx(float(np.quantile(returns.range_m, 0.99)))
    assert reach_shown(returns, OLD) == 60.0
    large = returns_of([(t, n, away, bearing, v, 12.0) for t, n, away, bearing, v, _ in said_by(near)])
    # 12 dBsm are 15.8 m², whose fourth root is 2: so far away it says half as much of a person (G06)
    assert reach_shown(large, near) == pytest.approx(float(np.quantile(returns.range_m, 0.99)) / 10**0.3)
    assert seen_from(returns, near, near).lost <= len(returns) // 100 + 1


def test_points_are_seen_where_the_areas_of_the_plan_say() -> None:
    rng = np.random.default_rng(8)
    occluders = [
        Occluder(name="fence", points=((90, 60), (105, 70)), height_m=3.5, material="wood"),
        Occluder(
            name="box", points=((110, 55), (114, 55), (114, 60), (110, 60)), height_m=4, closed=True, material="metal"
        ),
        Occluder(name="low", points=((95, 52), (99, 56)), height_m=1, material="metal"),
    ]
    points = rng.uniform((40, 0), (170, 120), (4000, 2))
    for rcs in (0.05, 1.0, 10.0):
        area = reach(OLD, occluders, rcs)
        near_an_edge = shapely.distance(shapely.points(points), area.boundary) < 0.2  # arcs are drawn by chords
        expected = shapely.contains_xy(area, points[:, 0], points[:, 1])
        found = sees(OLD, occluders, points, np.full(len(points), rcs))
        assert (found == expected)[~near_an_edge].all()
        assert expected.any()


def test_ground_that_the_old_place_did_not_see_is_unknown() -> None:
    unknown = unknown_ground(OLD, NEW)
    assert shapely.contains_xy(
        unknown, 85.0 + 55 * math.sin(math.radians(-30)), 58.0 + 55 * math.cos(math.radians(-30))
    )
    assert not shapely.contains_xy(unknown, 100.0, 75.0)
    assert unknown_ground(OLD, OLD).area == pytest.approx(0.0)


def test_sectors_go_with_the_unit_and_polygons_stay_on_the_ground() -> None:
    square = {"name": "quay", "shape": "polygon", "points": [[-6, 2], [6, 2], [6, 14], [-6, 14]]}
    held = detector([sector("ahead", 2, -40, 15, 40), square])
    moved = moved_regions(held, OLD, NEW)
    assert moved.regions[0] == held.regions[0]
    before = Frame(100, 50, 20).onto_plan(*np.array(square["points"], dtype=float).T)
    after = Frame(85, 58, 50).onto_plan(*np.array(moved.regions[1].points).T)
    assert after[0] == pytest.approx(before[0], abs=0.01)
    assert after[1] == pytest.approx(before[1], abs=0.01)


def test_the_least_move_is_found_where_no_turn_helps() -> None:
    """Somebody walks 12 m straight across the beam, 25 m away: G08 gives 25 tan(asin(0.3 / 1.2)) = 6.5 m to either side in which the radial
    part is below 0.3 m/s, so all of the way but its ends is blind, and from the ends the walker comes 0.7 m nearer at most.
    """
    mount = OLD.model_copy(update={"azimuth_deg": 0.0})
    rows: list[Row] = []
    for step in range(100):
        t, x = step / 10, -6.0 + 0.12 * step
        away = math.hypot(x, 25.0)
        rows.append((t, 7, away, math.degrees(math.atan2(x, 25.0)), 1.2 * x / away, 0.0))
    held = judge(detector(distance_m=1.5), RADAR, returns_of(rows))
    marks = [Mark(0.0, 10.0, "expect")]
    assert held.result(marks).misses == 1
    found = least_move(held, marks, mount)
    assert found.by_turning == 1
    assert found.mount is not None
    assert found.counts is not None
    assert found.counts.misses == 0
    moved_m = math.dist((found.mount.x_m, found.mount.y_m), (100.0, 50.0))
    # by hand: from d m aside it comes nearer by hypot(6 + d, 25) - hypot(d - 6, 25) until 0.3 m/s is left of 1.2
    aside = next(
        step / 2
        for step in range(1, 80)
        if math.hypot(6 + step / 2, 25) - max(math.hypot(6.45, 25), math.hypot(step / 2 - 6, 25)) >= 1.5
    )
    assert moved_m <= aside
    for turn in range(-60, 61, 20):
        turned = mount.model_copy(update={"azimuth_deg": float(turn)})
        assert from_there(held, mount, turned).result(marks).misses == 1
    nearer = [
        mount.model_copy(update={"x_m": 100.0 - moved_m / 2}),
        mount.model_copy(update={"x_m": 100.0 + moved_m / 2}),
    ]
    assert all(from_there(held, mount, each).result(marks).misses for each in nearer)


def test_one_that_catches_all_need_not_move_and_one_that_never_can_says_so() -> None:
    held = judge(detector(), RADAR, returns_of(said_by(OLD)))
    all_day = [Mark(0.0, 40.0, "expect")]
    assert least_move(held, all_day, OLD).mount == OLD
    never = judge(
        RadarDetector.model_validate({"name": "d", "kind": "radar", "dials": {"distance_m": 900.0}}),
        RADAR,
        held.returns,
    )
    found = least_move(never, all_day, OLD)
    assert found.mount is None
    assert found.by_turning == 1
