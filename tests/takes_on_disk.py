"""Takes written to disk as other programs would write them."""

from __future__ import annotations

import json
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import tifffile

INFO = {
    "format": "lantern-take/1",
    "name": "Test",
    "kind": "heat",
    "device": "T1",
    "start": "2026-03-04T05:12:00+01:00",
    "fps": 2,
}
DETECTOR = {
    "format": "lantern-detector/1",
    "name": "hot",
    "kind": "heat",
    "device": "T1",
    "regions": [{"name": "all", "shape": "box", "points": [[0, 0], [8, 6]]}],
    "dials": {"threshold_c": 50, "sustain_s": 1, "hysteresis_c": 1, "rearm_s": 0},
}


def pictures(n: int = 40, hot: tuple[int, ...] = (10, 25), length: int = 5) -> np.ndarray:
    """°C: 20 everywhere, one pixel at 60 for `length` frames from each of `hot`."""
    out = np.full((n, 6, 8), 20.0)
    for start in hot:
        out[start : start + length, 3, 4] = 60.0
    return out


def raw(celsius: np.ndarray) -> np.ndarray:
    return np.round((celsius + 273.15) * 100).astype(np.uint16)


def tiff_take(folder: Path, data: np.ndarray, name: str = "a.tif", **info: Any) -> Path:
    path = folder / name
    tifffile.imwrite(path, data, photometric="minisblack")
    path.with_name(name + ".json").write_text(json.dumps({k: v for k, v in (INFO | info).items() if v is not None}))
    return path


def csv_folder(folder: Path, celsius: np.ndarray) -> Path:
    folder.mkdir(parents=True, exist_ok=True)
    for i, picture in enumerate(celsius):
        (folder / f"{i:05d}.csv").write_text("\n".join(",".join(f"{v:.2f}" for v in row) for row in picture) + "\n")
    return folder


def zipped(folder: Path, target: Path) -> Path:
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as archive:
        for path in sorted(folder.rglob("*")):
            if path.is_file():
                archive.write(path, path.relative_to(folder))
    return target
