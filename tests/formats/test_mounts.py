"""`lantern predict` at the command line: the figures of the contract, and what is refused."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path
from typing import Any

import pytest

from commands import lantern
from lantern.core.faults import Refused
from lantern.core.optics.prediction import PlateTarget
from lantern.formats.mounts import read_mount, target_of

MOUNT: dict[str, Any] = {
    "x_m": 0, "y_m": 0, "height_m": 4, "azimuth_deg": 0, "tilt_deg": 25, "roll_deg": 0, "focal_mm": 4, "sensor_width_mm": 5.37,
    "pixels": [1920, 1080],
}  # fmt: skip
KEYS = {
    "pixel", "depth_m", "range_m", "across_px_per_m", "along_px_per_m", "grade_2014", "grade_2025", "upright_px", "near_m", "far_m",
    "hfov_deg", "vfov_deg", "verdicts",
}  # fmt: skip
OF_PLATE = {
    "incidence_h_deg",
    "incidence_v_deg",
    "incidence_deg",
    "char_px",
    "stroke_px",
    "blur_px",
    "frames",
    "max_kmh",
}


def written(folder: Path, **changes: Any) -> Path:
    path = folder / "mount.json"
    path.write_text(json.dumps(MOUNT | changes))
    return path


def ran(*arguments: object) -> subprocess.CompletedProcess[str]:
    return lantern("predict", *arguments)


def test_a_point_of_the_ground(tmp_path: Path) -> None:
    """12 m ahead: depth 12 cos 25° + 4 sin 25° = 12.566 m (A13), with a focal length of 1430.17 px."""
    done = ran("--mount", written(tmp_path), "--at", "0,12")
    told = json.loads(done.stdout)
    assert set(told) == KEYS
    assert told["depth_m"] == pytest.approx(12.566166, rel=1e-6)
    assert told["across_px_per_m"] == pytest.approx(1430.1676 / 12.566166, rel=1e-6)
    assert told["verdicts"] == {}


def test_a_plate_and_a_face_with_their_verdicts(tmp_path: Path) -> None:
    asked = ["--plate-heading", 180, "--speed-kmh", 30, "--shutter-s", 0.004, "--fps", 10, "--depth-m", 3, "--face"]
    told = json.loads(ran("--mount", written(tmp_path), "--at", "0,8,0.27", *asked).stdout)
    assert set(told) >= KEYS | OF_PLATE | {"eyes_px"}
    assert told["frames"] == 3  # 3 m x 10 Hz / 8.33 m/s = 3.6
    assert told["max_kmh"] == pytest.approx(36)
    assert told["verdicts"]["frames"]["verdict"] == "marginal"
    assert set(told["verdicts"]["frames"]) == {"value", "wish", "verdict", "cure"}
    assert told["verdicts"]["eyes_px"]["cure"].startswith("focal length")


@pytest.mark.parametrize(
    ("change", "told"),
    [
        ({"height_m": 0}, "greater than 0"),
        ({"tilt_deg": "steep"}, "valid number"),
        ({"focal_mm": 0.5}, "a fisheye has another model"),
        ({"pixels": [0, 1080]}, "1 to 20000 each way"),
        ({"brand": "x"}, "is not a known key"),
    ],
)
def test_what_is_wrong_with_a_mount_is_told(tmp_path: Path, change: dict[str, Any], told: str) -> None:
    with pytest.raises(Refused, match=told):
        read_mount(written(tmp_path, **change))


@pytest.mark.parametrize("at", ["", "1", "1,2,3,4", "a,b", "nan,1", "1,1e9"])
def test_what_is_no_point_is_told(at: str) -> None:
    with pytest.raises(Refused, match="x,y or x,y,z"):
        target_of(at, plate=None, face=False, upright_m=1.8)


def test_every_number_that_cannot_be_meant_is_told_at_once(tmp_path: Path) -> None:
    plate = PlateTarget(180, char_mm=-1, fps=0, shutter_s=float("nan"))
    with pytest.raises(Refused) as refused:
        target_of("1,2", plate=plate, face=False, upright_m=0)
    assert [fault.where for fault in refused.value.faults] == ["--upright-m", "--char-mm", "--shutter-s", "--fps"]
    done = ran("--mount", written(tmp_path), "--at", "1,2", "--plate-heading", 180, "--fps", 0)
    assert (done.returncode, "--fps" in done.stderr, done.stdout) == (2, True, "")
