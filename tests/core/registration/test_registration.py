"""Frames fitted to each other: the handbook's values, other libraries' fits, mirror images, and what cannot be fitted."""

from __future__ import annotations

import json
from pathlib import Path

import cv2
import numpy as np
import pytest
from scipy.spatial import procrustes
from scipy.spatial.transform import Rotation

from checks import check
from commands import lantern
from lantern.core.faults import Refused
from lantern.core.registration.report import directions, registered


def pairs(first: np.ndarray, second: np.ndarray) -> np.ndarray:
    return np.column_stack((first, second))


def turned(points: np.ndarray, degrees: float, scale: float = 1.0, shift: tuple[float, float] = (0, 0)) -> np.ndarray:
    a = np.radians(degrees)
    return scale * points @ np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]]).T + shift


def test_a_walk_before_a_radar_g17_g18() -> None:
    given, expected = check("G17")
    walk = pairs(np.array(given["radar_m"]), np.array(given["plan_m"]))
    found = registered("similarity", walk)
    p = found["parameters"]
    assert [p["scale"], p["rotation_deg"], *p["shift_m"], found["rms"]] == expected
    given, expected = check("G18")
    found = registered("rigid", pairs(np.array(given["radar_m"]), np.array(given["plan_m"])))
    assert [found["parameters"]["rotation_deg"], found["rms"]] == expected
    assert not found["mirrored"]
    assert found["warnings"] == []


def test_one_body_to_another_h03() -> None:
    given, expected = check("H03")
    found = registered("rotation", pairs(np.array(given["a_pan_tilt_deg"]), np.array(given["b_pan_tilt_deg"])))
    x, y, z = np.array(found["parameters"]["matrix"]) @ directions(*np.array([given["query_deg"]]).T)[0]
    pan, tilt = np.degrees(np.arctan2(x, y)), np.degrees(-np.arcsin(z))
    assert [found["rms"], pan, tilt] == expected


@pytest.mark.parametrize("seed", range(5))
def test_fits_are_those_of_other_libraries(seed: int) -> None:
    rng = np.random.default_rng(seed)
    first = rng.uniform(-20, 20, (9, 2))
    second = turned(first, 71.0, 1.02, (100.0, 50.0)) + rng.normal(0, 0.2, (9, 2))
    found = registered("similarity", pairs(first, second))
    _, _, disparity = procrustes(second, first)  # the squared misses, of both brought to unit size
    size = np.linalg.norm(second - second.mean(axis=0))
    assert found["rms"] == pytest.approx(size * np.sqrt(disparity / 9), rel=1e-6)
    a, b = rng.normal(size=(6, 3)), Rotation.from_euler("zyx", [40, 5, -3], degrees=True)
    a /= np.linalg.norm(a, axis=1, keepdims=True)
    angles = [np.degrees(np.column_stack((np.arctan2(v[:, 0], v[:, 1]), -np.arcsin(v[:, 2])))) for v in (a, b.apply(a))]
    got = registered("rotation", pairs(*angles))
    assert np.array(got["parameters"]["matrix"]) == pytest.approx(b.as_matrix(), abs=1e-9)
    expected, _ = Rotation.align_vectors(b.apply(a), a)
    assert np.array(got["parameters"]["matrix"]) == pytest.approx(expected.as_matrix(), abs=1e-9)


@pytest.mark.parametrize("seed", range(5))
def test_a_picture_on_the_ground_is_as_another_library_finds_it(seed: int) -> None:
    rng = np.random.default_rng(seed)
    pixels = rng.uniform(0, 1000, (8, 2))
    true = np.array([[0.02, 0.001, -5.0], [0.003, 0.05, -20.0], [1e-5, 8e-4, 1.0]])
    lifted = np.column_stack((pixels, np.ones(8))) @ true.T
    plan = lifted[:, :2] / lifted[:, 2:] + rng.normal(0, 0.02, (8, 2))
    exact = registered("ground", pairs(pixels[:4], plan[:4]))
    assert exact["max"] < 1e-6
    expected = cv2.getPerspectiveTransform(pixels[:4].astype(np.float32), plan[:4].astype(np.float32))
    assert np.array(exact["parameters"]["matrix"]) == pytest.approx(expected, rel=2e-2, abs=1e-5)
    found = registered("ground", pairs(pixels, plan))
    assert found["parameters"]["matrix"][2][2] == 1
    other, _ = cv2.findHomography(pixels, plan)
    moved = np.column_stack((pixels, np.ones(8))) @ other.T
    theirs = np.sqrt(np.mean(np.sum((moved[:, :2] / moved[:, 2:] - plan) ** 2, axis=1)))
    assert theirs <= found["rms"] * 1.0001 <= theirs * 1.5  # it goes on to the least distances; ours stays linear
    assert found["mirrored"] is False


def test_what_each_misses_by_if_the_others_alone_are_asked() -> None:
    first = np.array([[0, 0], [10, 0], [10, 8], [0, 8], [5, 3.0]])
    second = turned(first, 20.0)
    second[4] += (3.0, 0.0)
    found = registered("rigid", pairs(first, second))
    assert found["leave_one_out"][4] == pytest.approx(3.0)
    assert max(found["leave_one_out"][:4]) < 3.0
    assert registered("rigid", pairs(first[:2], second[:2]))["leave_one_out"] == [None, None]
    assert registered("ground", pairs(first[:4] * 10, second[:4]))["leave_one_out"] == [None] * 4


def test_a_mirror_image_is_found_and_never_taken() -> None:
    first = np.random.default_rng(3).uniform(-10, 10, (6, 2))
    second = turned(first * (-1, 1), 33.0)
    for model in ("rigid", "similarity"):
        found = registered(model, pairs(first, second))
        assert found["mirrored"]
        assert "mirror image" in found["warnings"][0]
        assert found["rms"] > 1
    assert not registered("rigid", pairs(first, turned(first, 33.0)))["mirrored"]


@pytest.mark.parametrize(
    ("model", "first", "says"),
    [
        ("rigid", [[1, 2]], "at least 2"),
        ("ground", [[0, 0], [1, 0], [1, 1]], "at least 4"),
        ("rigid", [[1, 2], [1, 2], [4, 5]], "comes more than once"),
        ("rotation", [[10, 5], [190, -5]], "parallel"),
        ("ground", [[0, 0], [1, 1], [2, 2], [5, 9]], "three are in a line"),
        ("ground", [[0, 0], [1, 1], [2, 2], [3, 3], [7, 7]], "three are in a line"),
    ],
)
def test_what_cannot_be_fitted_is_refused(model: str, first: list[list[float]], says: str) -> None:
    side = np.array(first, dtype=float)
    with pytest.raises(Refused, match=says):
        registered(model, pairs(side, side))


def test_what_fits_too_easily_is_said() -> None:
    line = np.array([[0, 0], [2, 1], [4, 2], [8, 4.0]])
    assert "nothing checks them" in registered("rigid", pairs(line[:2], line[:2]))["warnings"][0]
    assert "in a line" in registered("rigid", pairs(line, line))["warnings"][0]
    assert not registered("rigid", pairs(line, line))["mirrored"]
    square = np.array([[0, 0], [10, 0], [10, 10], [0, 10.0]])
    assert "scale comes to 1.100" in registered("similarity", pairs(square, square * 1.1))["warnings"][0]
    assert "Pairs miss by" in registered("rigid", pairs(square, square * 1.3))["warnings"][0]


def test_as_a_command(tmp_path: Path) -> None:
    file = tmp_path / "walk.csv"
    file.write_text(
        "x_m,y_m,plan_x_m,plan_y_m\n0,5,97.6,54.23\n5,10,99.13,61.26\n-4,12,90.64,58.59\n2,20,91.83,68.22\n"
    )
    done = lantern("register", "--pairs", file, "--model", "similarity")
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["parameters"]["rotation_deg"] == pytest.approx(30.2, abs=0.3)
    assert lantern("register", "--pairs", file, "--model", "rotation").returncode == 2
    file.write_text("x_m,y_m,plan_x_m,plan_y_m\n0,a,1,2\n")
    refused = lantern("register", "--pairs", file)
    assert refused.returncode == 2
    assert "line 2, y_m" in refused.stderr
