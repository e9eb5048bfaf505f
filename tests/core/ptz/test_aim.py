"""Where a head points, how far it zooms, how long it takes: by the handbook's values and by hand."""

from __future__ import annotations

import json
import math
from pathlib import Path

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from checks import check
from commands import lantern
from lantern.core.faults import Refused
from lantern.core.modelled import read_model
from lantern.core.ptz.head import Head, Limits, shortest, turn_s, zoomed_deg
from lantern.core.ptz.pointing import Direction, aimed, slew_s, towards

HEAD = Head(
    x_m=10.0, y_m=-5.0, height_m=6.0, pan_offset_deg=30.0, speed_deg_s=120.0, acceleration_deg_s2=240.0, settle_s=0.3,
    fov_wide_deg=40.0, zoom_max=30.0, latency_s=0.2,
)  # fmt: skip


def limited(pan: tuple[float, float] | None, tilt: tuple[float, float] = (-5.0, 90.0)) -> Head:
    return HEAD.model_copy(update={"limits": Limits(pan=pan, tilt=tilt)})


def test_directions_moves_and_fields_are_those_of_the_handbook() -> None:
    given, expected = check("H01")
    x, y, z = given["cam_ENU_m"]
    head = HEAD.model_copy(update={"x_m": x, "y_m": y, "height_m": z})
    assert list(towards(head, tuple(given["target_ENU_m"]))) == expected
    given, expected = check("H02")
    assert shortest(given["from_deg"], given["to_deg"]) == expected
    given, expected = check("H05")
    assert [zoomed_deg(given["FOV1_deg"], zoom) for zoom in given["z"]] == expected
    given, expected = check("H12")
    assert [turn_s(angle, given["w_deg_s"], given["a_deg_s2"]) for angle in given["theta_deg"]] == expected


def test_a_turn_of_one_axis_is_what_integration_in_steps_gives() -> None:
    for angle in (2.0, 40.0, 59.9, 60.1, 170.0):
        t, at, speed, dt = 0.0, 0.0, 0.0, 1e-4
        while at < angle - 1e-6 and t < 10:
            braking = speed * speed / (2 * 240.0)
            speed = max(speed - 240 * dt, 1e-3) if angle - at <= braking else min(speed + 240 * dt, 120.0)
            at, t = at + speed * dt, t + dt
        assert turn_s(angle, 120.0, 240.0) == pytest.approx(t, abs=0.03)


def test_vectors_are_those_of_a_rotation_library() -> None:
    for pan, tilt in ((0, 0), (90, 10), (213, -20), (359, 89)):
        turned = Rotation.from_euler("ZX", [-pan, -tilt], degrees=True).apply([0.0, 1.0, 0.0])
        assert Direction(pan, tilt).vector == pytest.approx(turned, abs=1e-12)


def test_the_way_round_is_the_shorter_one_unless_a_limit_lies_in_it() -> None:
    free = limited(None)
    assert free.pan_way(350, 20) == pytest.approx(30)
    # its own pan 0 looks to 30 degrees; it may turn from -170 to 170 of its own: 200 to 220 of the site lies between
    ends = limited((-170.0, 170.0))
    assert ends.pan_way(190, 230) == pytest.approx(-320)  # own 160 to -160, all the way back
    assert ends.pan_way(350, 20) == pytest.approx(30)
    assert ends.may_pan(199) and not ends.may_pan(210)
    # a whole turn with a stop at own 0: where both ends meet it may stand at either
    stop = limited((0.0, 360.0))
    assert stop.pan_way(20, 40) == pytest.approx(-340)
    assert stop.pan_way(30, 350) == pytest.approx(-40)
    assert stop.pan_way(30, 60) == pytest.approx(30)
    assert all(stop.may_pan(pan) for pan in range(0, 360, 5))


def test_how_far_it_zooms_and_when_it_cannot() -> None:
    at = (10.0, 45.0, 1.0)
    found = aimed(HEAD, at, height_m=1.8, share=0.5, come_from=Direction(90.0, 0.0))
    distance = math.sqrt(50**2 + 5**2)
    zoom = 2 * distance * math.tan(math.radians(20)) * 0.5 / 1.8
    assert (found["pan_deg"], found["distance_m"], found["zoom"]) == pytest.approx((0.0, distance, zoom))
    # so zoomed the target fills half of the field
    assert 2 * math.degrees(math.atan(0.9 / 0.5 / distance)) == pytest.approx(found["field_deg"], rel=1e-6)
    assert found["slew_s"] == pytest.approx(90 / 120 + 120 / 240 + 0.3)
    assert not found["clipped"]
    far = aimed(HEAD, (10.0, 400.0, 1.0), height_m=0.3, share=0.9)
    assert (far["zoom"], far["clipped"], far["slew_s"]) == (30.0, True, None)
    near = aimed(HEAD, (10.0, -4.0, 5.0), height_m=1.8, share=0.2)
    assert (near["zoom"], near["clipped"]) == (1.0, True)


def test_beyond_a_limit_it_says_so_and_how_long_is_not_known() -> None:
    head = limited((-100.0, 100.0), (0.0, 60.0))
    found = aimed(head, (10.0, -50.0, 1.0), height_m=1.8, share=0.5, come_from=Direction(30.0, 10.0))
    assert (found["reachable"], found["slew_s"]) == (False, None)
    assert "its own pan would be 150.0°, beyond its limits, -100 to 100°" in found["why"]
    assert found["zoom"] > 1
    steep = aimed(head, (10.0, -4.0, 0.0), height_m=1.8, share=0.5)
    assert "its tilt would be 80.5°" in steep["why"]
    with pytest.raises(Refused, match="where it can look"):
        aimed(head, (10.0, 45.0, 1.0), height_m=1.8, share=0.5, come_from=Direction(200.0, 0.0))
    with pytest.raises(Refused, match="where the head itself is"):
        aimed(HEAD, (10.0, -5.0, 6.0), height_m=1.8, share=0.5)


def test_the_slower_axis_and_settling_count() -> None:
    assert slew_s(HEAD, Direction(0, 0), Direction(10, 40)) == pytest.approx(turn_s(40, 120, 240) + 0.3)
    assert slew_s(HEAD, Direction(0, 0), Direction(90, 40)) == pytest.approx(turn_s(90, 120, 240) + 0.3)
    rng = np.random.default_rng(3)
    for one, other in rng.uniform(0, 360, (20, 2)):
        assert slew_s(HEAD, Direction(one, 0), Direction(other, 0)) == pytest.approx(
            slew_s(HEAD, Direction(other, 0), Direction(one, 0))
        )


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"speed_deg_s": 0}, "speed_deg_s"),
        ({"acceleration_deg_s2": -1}, "acceleration_deg_s2"),
        ({"fov_wide_deg": 130}, "fov_wide_deg"),
        ({"latency_s": -0.1}, "latency_s"),
        ({"limits": {"pan": [10, 400], "tilt": [0, 90]}}, "one turn at most"),
        ({"limits": {"pan": None, "tilt": [50, 10]}}, "rising"),
        ({"colour": "grey"}, "colour"),
    ],
)
def test_what_no_head_is_is_refused(changes: dict, said: str) -> None:
    with pytest.raises(Refused, match=said):
        read_model(Head, HEAD.model_dump(mode="json") | changes, where="P.json")


def test_as_a_command(tmp_path: Path) -> None:
    path = tmp_path / "P.json"
    path.write_text(HEAD.model_dump_json())
    out = lantern("aim", "--ptz", path, "--at", "10,45,1", "--from", "90,0", "--height-m", "1.8", "--share", "0.5")
    assert json.loads(out.stdout)["slew_s"] == pytest.approx(1.55)
    bad = lantern("aim", "--ptz", path, "--at", "10,45", "--share", "2")
    assert bad.returncode == 2
    assert "x,y,z in m" in bad.stderr and "--share" in bad.stderr
