"""A fixed picture beside a head: its turn and its field found, the ground by feet, what each pair is missed by, the parallax."""

from __future__ import annotations

import math

import cv2
import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from checks import check
from lantern.core.faults import Refused
from lantern.core.ptz.head import Head
from lantern.core.ptz.pointing import Direction, towards
from lantern.core.ptz.seen_by import Fitted, Pixel, SeenBy, parallax_deg

HEAD = Head(x_m=5.0, y_m=-3.0, height_m=10.0, speed_deg_s=100, acceleration_deg_s2=200, fov_wide_deg=30, zoom_max=20)
SIZE = (1280, 720)


def fitted(model: str, pixels: np.ndarray, onto: np.ndarray) -> Fitted:
    pairs = tuple(Pixel(u_px=u, v_px=v, pan=0.0, tilt=0.0) for u, v in pixels.tolist())
    return Fitted(SeenBy(of="overview", model=model, size=SIZE, pairs=pairs), HEAD, onto)  # type: ignore[arg-type]


def overview(
    rng: np.random.Generator, count: int, field_deg: float, noise_px: float = 0.0
) -> tuple[np.ndarray, np.ndarray]:
    """Pixels of a camera that looks to 140, 14 down, a little rolled, and where a head beside it looks for each: by OpenCV's projection."""
    f = SIZE[0] / 2 / math.tan(math.radians(field_deg) / 2)
    lens = np.array([[f, 0, SIZE[0] / 2], [0, f, SIZE[1] / 2], [0, 0, 1.0]])
    pan, tilt = rng.uniform(140 - field_deg / 2.4, 140 + field_deg / 2.4, count), rng.uniform(4, 30, count)
    p, t = np.radians(pan), np.radians(tilt)
    world = np.column_stack((np.sin(p) * np.cos(t), np.cos(p) * np.cos(t), -np.sin(t)))  # east, north, up
    looks = Rotation.from_euler("xz", [-14, -140], degrees=True)
    camera = looks.inv().apply(world)  # right, ahead, up
    camera = Rotation.from_euler("y", 1.5, degrees=True).apply(camera)
    seen = np.column_stack((camera[:, 0], -camera[:, 2], camera[:, 1]))  # right, down, ahead, as OpenCV has it
    pixels, _ = cv2.projectPoints(seen * 50, np.zeros(3), np.zeros(3), lens, None)
    return pixels.reshape(-1, 2) + rng.normal(0, noise_px, (count, 2)), np.column_stack((pan, tilt))


def test_the_turn_and_the_field_of_a_picture_beside_the_head_are_found() -> None:
    rng = np.random.default_rng(3)
    pixels, onto = overview(rng, 8, 84.0)
    held = fitted("rotation", pixels, onto)
    assert held.field_deg == pytest.approx(84.0, abs=0.01)
    assert max(held.off_deg) < 0.01
    more, there = overview(rng, 30, 84.0)
    for (u, v), (pan, tilt) in zip(more.tolist(), there.tolist(), strict=True):
        to = held.towards(u, v)
        assert (to.pan_deg, to.tilt_deg) == pytest.approx((pan, tilt), abs=0.02)
        assert held.pixel(Direction(pan, tilt)) == pytest.approx((u, v), abs=0.2)
    assert held.pixel(Direction(320.0, 0.0)) is None


def test_the_turn_is_that_of_another_library() -> None:
    """scipy's align_vectors, on pairs with noise, for the field that was found."""
    pixels, onto = overview(np.random.default_rng(5), 12, 70.0, noise_px=2.0)
    held = fitted("rotation", pixels, onto)
    rays = held._rays(pixels, held.field_deg)
    other, _ = Rotation.align_vectors(held._wanted, rays)
    assert held.turn.matrix == pytest.approx(other.as_matrix(), abs=1e-9)
    assert held.rms_deg < 0.3


def test_a_pair_that_is_wrong_stands_out_once_it_is_left_out() -> None:
    pixels, onto = overview(np.random.default_rng(7), 8, 70.0)
    pixels[5] += (90, 40)
    held = fitted("rotation", pixels, onto)
    left = [held.left_out(at) or 0.0 for at in range(8)]
    assert int(np.argmax(left)) == 5
    assert left[5] > 3 * float(np.median(left))


def test_few_pairs_and_pairs_of_one_elevation_say_so() -> None:
    pixels, onto = overview(np.random.default_rng(9), 8, 70.0)
    with pytest.raises(Refused, match="and not the field"):
        fitted("rotation", pixels[:3], onto[:3]).towards(10, 10)
    level = np.flatnonzero(np.abs(onto[:, 1] - onto[0, 1]) < 10)[:4]
    assert any("of one elevation" in line for line in fitted("rotation", pixels[level], onto[level]).warnings())
    assert any("Nothing checks them" in line for line in fitted("rotation", pixels[:4], onto[:4]).warnings())


def test_a_picture_from_elsewhere_speaks_of_the_ground() -> None:
    """A camera 60 m away: pixels of feet by OpenCV's projection, and where the head looked at the same feet."""
    rng = np.random.default_rng(11)
    places = rng.uniform((20, 20), (60, 70), (20, 2))
    eye, lens = np.array([70.0, 10.0, 6.0]), np.array([[1400.0, 0, 640], [0, 1400, 360], [0, 0, 1]])
    looks = Rotation.from_euler("xz", [-10, 40], degrees=True)  # to the north-west, 10 down
    camera = looks.inv().apply(np.column_stack((places, np.zeros(20))) - eye)
    pixels, _ = cv2.projectPoints(
        np.column_stack((camera[:, 0], -camera[:, 2], camera[:, 1])), np.zeros(3), np.zeros(3), lens, None
    )
    onto = np.array([towards(HEAD, (x, y, 0.0)) for x, y in places.tolist()])
    held = fitted("ground", pixels.reshape(-1, 2)[:10], onto[:10])
    for (u, v), (pan, tilt) in zip(pixels.reshape(-1, 2)[10:].tolist(), onto[10:].tolist(), strict=True):
        to = held.towards(u, v)
        assert (to.pan_deg, to.tilt_deg) == pytest.approx((pan, tilt), abs=1e-4)
        assert held.pixel(Direction(pan, tilt)) == pytest.approx((u, v), abs=1e-3)
    found, _ = cv2.findHomography(pixels.reshape(-1, 2)[:10], held.places)
    assert held.ground.matrix == pytest.approx(found / found[2, 2], rel=1e-4, abs=1e-6)
    with pytest.raises(Refused, match="beyond the horizon"):
        held.towards(640.0, -3000.0)
    with pytest.raises(Refused, match="above the horizon"):
        _ = fitted("ground", pixels.reshape(-1, 2)[:5], np.column_stack((onto[:5, 0], -onto[:5, 1]))).places


def test_one_turn_is_wrong_for_what_is_near_by_its_parallax() -> None:
    given, expected = check("H04")
    assert parallax_deg(given["b_m"], given["D_m"]) == expected
