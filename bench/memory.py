"""Peak resident memory of `lantern evaluate` on large files and on bombs, less that of a take of two samples."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import tifffile

from bench.figures import Figure, sized

LANTERN = Path(sys.executable).with_name("lantern")
WISH_MIB = 600.0
WIDTH, HEIGHT, FRAMES = 640, 480, sized(7_000, 20)  # 4 GiB of uint16
TRACK_ROWS, SERIES_ROWS = sized(2_300_000, 2_000), sized(6_600_000, 2_000)
BOMB = sized(95_000_000, 200_000)  # characters
START = "2026-03-04T05:12:00+01:00"
HOT = {"name": "hot", "kind": "heat", "device": "D", "dials": {"threshold_c": 50}}
LINE = {"name": "line", "kind": "crossing", "device": "D", "dials": {"band": 2}}
BOX = [{"name": "all", "shape": "box", "points": [[0, 0], [8, 6]]}]
DOOR = [{"name": "door", "shape": "line", "points": [[0, 240], [640, 240]]}]


def run() -> Iterator[Figure]:
    with tempfile.TemporaryDirectory(prefix="lantern-bench-") as name:
        folder = Path(name)
        asked = sized(_LARGE, _LARGE[4:5])
        least = {kind: _peak_mib(folder, kind, _SMALL[kind]) for kind in {kind for _, kind, _ in asked}}
        for what, kind, write in asked:
            yield Figure(what, _peak_mib(folder, kind, write) - least[kind], "MiB", WISH_MIB)


def _peak_mib(folder: Path, kind: str, write: Callable[[Path], Path]) -> float:
    with tempfile.TemporaryDirectory(dir=folder) as own:
        take = write(Path(own))
        detector = folder / "d.json"
        body = {"format": "lantern-detector/1", **(LINE if kind == "tracks" else HOT)}
        detector.write_text(json.dumps(body | {"regions": DOOR if kind == "tracks" else BOX}))
        command = [LANTERN, "evaluate", "--detector", detector, "--take", take, "--out", os.devnull]
        child = subprocess.Popen(command, stderr=subprocess.DEVNULL)
        _, _, used = os.wait4(child.pid, 0)
        return used.ru_maxrss / 1024


def _take(folder: Path, kind: str, data: str, **more: Any) -> Path:
    info = {"format": "lantern-take/1", "name": "T", "kind": kind, "device": "D", "start": START, "data": data}
    (folder / "take.json").write_text(json.dumps(info | more))
    return folder


def _heat(count: int) -> Callable[[Path], Path]:
    def write(folder: Path) -> Path:
        picture = np.random.default_rng(1).integers(29_000, 29_400, (HEIGHT, WIDTH), dtype=np.uint16)
        with tifffile.TiffWriter(folder / "a.tif", bigtiff=True) as writer:
            for _ in range(count):
                writer.write(picture, photometric="minisblack", contiguous=False)
        return _take(folder, "heat", "a.tif", fps=9)

    return write


def _tracks(rows: int) -> Callable[[Path], Path]:
    def write(folder: Path) -> Path:
        per = 50
        with (folder / "a.csv").open("w") as sink:
            for frame in range(1, max(rows // per, 2) + 1):
                for k in range(min(per, rows)):
                    y = (frame * 3 + k * 37) % 480
                    sink.write(f"{frame},{k + per * (frame // 160)},{k * 12},{y},20,40,0.9,1,1\n")
        return _take(folder, "tracks", "a.csv", fps=10, width=640, height=480)

    return write


def _stream(frames: int, objects: int) -> Callable[[Path], Path]:
    def write(folder: Path) -> Path:
        item = (
            '<tt:Object ObjectId="{}"><tt:Appearance><tt:Shape><tt:BoundingBox left="-0.2" top="{:.3f}" right="-0.1" '
            'bottom="-0.9"/></tt:Shape></tt:Appearance></tt:Object>'
        )
        with (folder / "a.xml").open("w") as sink:
            sink.write('<tt:MetadataStream xmlns:tt="http://www.onvif.org/ver10/schema"><tt:VideoAnalytics>')
            for n in range(frames):
                minute, tenth = divmod(n, 600)
                at = f"2026-03-04T{4 + (12 + minute) // 60:02d}:{(12 + minute) % 60:02d}:{tenth / 10:04.1f}Z"
                sink.write(f'<tt:Frame UtcTime="{at}">')
                sink.writelines(item.format(k, (n % 10 - 5) / 10) for k in range(objects))
                sink.write("</tt:Frame>")
            sink.write("</tt:VideoAnalytics></tt:MetadataStream>")
        return _take(folder, "tracks", "a.xml", width=640, height=480)

    return write


def _series(rows: int) -> Callable[[Path], Path]:
    def write(folder: Path) -> Path:
        with (folder / "a.csv").open("w") as sink:
            sink.write("t_s,all,other\n")
            sink.writelines(f"{n},{20 + n % 7},{n % 5}\n" for n in range(rows))
        return _take(folder, "series", "a.csv", units={"all": "°C"})

    return write


def _packed(write: Callable[[Path], Path]) -> Callable[[Path], Path]:
    def zipped(folder: Path) -> Path:
        inside = folder / "inside"
        inside.mkdir()
        write(inside)
        with zipfile.ZipFile(folder / "t.zip", "w", zipfile.ZIP_DEFLATED) as archive:
            for path in inside.iterdir():
                archive.write(path, path.name)
                path.unlink()
        return folder / "t.zip"

    return zipped


def _text(name: str, kind: str, begin: str, again: str, size: int, **more: Any) -> Callable[[Path], Path]:
    def write(folder: Path) -> Path:
        with (folder / name).open("w") as sink:
            sink.write(begin)
            for _ in range(size // (len(again) * 10_000)):
                sink.write(again * 10_000)
        return _take(folder, kind, name, **more)

    return write


PICTURE = {"width": 640, "height": 480}
_SMALL = {"heat": _heat(2), "tracks": _tracks(2), "series": _series(2)}
_LARGE = (
    (f"heat: {FRAMES} frames of {WIDTH} x {HEIGHT}, 4 GiB", "heat", _heat(FRAMES)),
    (f"tracks: {TRACK_ROWS:,} boxes", "tracks", _tracks(TRACK_ROWS)),
    ("tracks: one box more than is read", "tracks", _tracks(TRACK_ROWS + 50)),
    ("tracks: 600,000 boxes as a metadata stream", "tracks", _stream(sized(12_000, 20), 50)),
    (f"series: {SERIES_ROWS:,} times of two columns", "series", _series(SERIES_ROWS)),
    ("series: more than is read", "series", _series(2 * SERIES_ROWS)),
    (
        "bomb: 95 MB of empty elements",
        "tracks",
        _packed(_text("a.xml", "tracks", "<a>", "<b/>", BOMB, **PICTURE)),
    ),
    ("bomb: one line of 95 MB", "tracks", _packed(_text("a.csv", "tracks", "1", "1,", BOMB, fps=10))),
    ("bomb: 95 MB of blank lines", "tracks", _packed(_text("a.csv", "tracks", "", "\n", BOMB, fps=10))),
    ("bomb: one quoted text of 95 MB", "series", _packed(_text("a.csv", "series", 't_s,a\n0,"', "x\n", BOMB))),
    ("bomb: 95 MB of columns", "series", _packed(_text("a.csv", "series", "t_s", ",a", BOMB))),
)
