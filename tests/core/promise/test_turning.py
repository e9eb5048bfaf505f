"""What a camera that turns can look at: its limits, what lies too near beneath it, what walls hide; and how long it takes to get there."""

from __future__ import annotations

import math
from typing import Any

import pytest

from lantern.core.faults import Refused
from lantern.core.modelled import read_model
from lantern.core.optics.coverage import Wall
from lantern.core.promise import following
from lantern.core.promise.claim import Around, Stood
from lantern.core.promise.following import Turning
from lantern.core.promise.plan import Aim, Plan

MOUNT: dict[str, Any] = {
    "x_m": 0.0, "y_m": 0.0, "height_m": 8.0, "azimuth_deg": 90.0, "tilt_deg": 10.0, "focal_mm": 6.0,
    "sensor_width_mm": 5.37, "pixels": (1280, 720), "focal_min_mm": 6.0, "focal_max_mm": 60.0, "pan_deg_s": 90.0,
}  # fmt: skip


def turning(**changes: Any) -> Turning:
    return read_model(Turning, MOUNT | changes, where="mount")


def claims(mount: Turning, *points: tuple[float, float]) -> list[Any]:
    aim = Aim(name="a", device="Z1", what="following", points=points, speed_kmh=5.0)
    plan = Plan(width_m=400, height_m=400, aims=(aim,))
    return following.claims(Stood("Z1", mount), aim, Around(plan), cured=False)


def test_it_looks_all_round_unless_it_is_said_where_it_stops() -> None:
    free = following.around(turning(), (), 50.0).field
    assert free.area == pytest.approx(math.pi * 50**2, rel=0.002)
    quarter = following.around(turning(pan_from_deg=0, pan_to_deg=90), (), 50.0).field
    assert quarter.area == pytest.approx(math.pi * 50**2 / 4, rel=0.01)
    assert quarter.centroid.x == pytest.approx(quarter.centroid.y, rel=0.01)  # east and north of it
    across = following.around(turning(pan_from_deg=315, pan_to_deg=45), (), 50.0).field
    assert abs(across.centroid.x) < 0.5 < across.centroid.y


def test_what_lies_beneath_its_lowest_look_is_not_seen() -> None:
    """Down to 40 degrees, and half its field of picture farther: ground from h / tan of that on."""
    mount = turning(tilt_to_deg=40)
    near = 8.0 / math.tan(math.radians(40 + mount.head.field_deg(1.0) / 2))
    found = following.around(mount, (), 50.0).field
    assert found.area == pytest.approx(math.pi * (50**2 - near**2), rel=0.002)


def test_a_wall_hides_what_lies_behind_it_by_its_height() -> None:
    """Eye at 8 m, a wall of 2 m 6 m away: ground is hidden up to 6 * 8 / (8 - 2) = 8 m."""
    held = following.around(turning(), (Wall(((6.0, -1.0), (6.0, 1.0)), 2.0),), 50.0)
    assert held.shadow.bounds[0] == pytest.approx(6.0)
    assert held.shadow.bounds[2] == pytest.approx(8.0)
    assert held.seen.area + held.shadow.area == pytest.approx(held.field.area)


def test_an_aim_beyond_its_limits_fails_and_says_why() -> None:
    seen, beyond = (
        claims(turning(pan_from_deg=0, pan_to_deg=180), (30, 5)),
        claims(turning(pan_from_deg=0, pan_to_deg=180), (-30, 5)),
    )
    assert "reach" not in [each.name for each in seen]
    [told] = [each for each in beyond if each.name == "reach"]
    assert told.verdict == "fail"
    assert "beyond its limits" in told.reason


def test_how_long_it_takes_from_where_it_rests() -> None:
    """A quarter turn at 90 deg/s, 200 deg/s2 up and down again: 90 / 90 + 90 / 200 s, and 0.3 s to settle (H12)."""
    [told] = [each for each in claims(turning(), (0, 60)) if each.name == "zoomed"]
    assert f"{90 / 90 + 90 / 200 + 0.3:.1f} s from where it rests" in told.reason


@pytest.mark.parametrize(
    ("changes", "told"),
    [({"pan_from_deg": 10}, "give both"), ({"tilt_from_deg": 30, "tilt_to_deg": 20}, "is not above")],
)
def test_limits_that_disagree_are_refused(changes: dict[str, float], told: str) -> None:
    with pytest.raises(Refused, match=told):
        turning(**changes)
