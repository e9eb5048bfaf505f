"""What a file shows of itself, and what must be asked about it."""

from __future__ import annotations

import zipfile
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import pytest
import tifffile

from lantern.core.faults import Refused
from lantern.core.tracks import Seen
from lantern.formats.limits import DEFAULT
from lantern.signals.looks import Look, look_at
from lantern.signals.tracks.onvif_out import write_frame


def keys(look: Look) -> dict[str, list[str]]:
    return {kind: [question.key for question in asked] for kind, asked in look.asked.items()}


def test_a_table_of_readings(tmp_path: Path) -> None:
    path = tmp_path / "oven.csv"
    rows = "".join(f"2026-03-04 05:12:{n:02},{40 + n},{n % 3}\n" for n in range(30))
    path.write_text("time,inlet temp,valve [%]\n" + rows)
    look = look_at(path, DEFAULT)
    assert (look.kinds, look.samples, look.length_s) == (("series",), 30, {"time": 29.0})
    assert look.guess == {"times": "time", "units": {"inlet temp": "°C", "valve [%]": "%"}}
    assert look.begins == {"time": "2026-03-04T05:12:00"}
    assert look.drawn["series"]["columns"]["inlet temp"][:2] == [40.0, 41.0]


def test_boxes_without_a_header(tmp_path: Path) -> None:
    path = tmp_path / "gate.txt"
    path.write_text("".join(f"{f},{i},{100 * i},{10 * f},40,80,1,{i},1\n" for f in range(1, 11) for i in (1, 2)))
    look = look_at(path, DEFAULT, ("gate.png",))
    assert (look.kinds, look.samples, look.asked["tracks"][-1].names) == (("tracks",), 10, ("1", "2"))
    assert keys(look) == {"tracks": ["fps", "width", "height", "classes"]}
    assert look.guess == {"width": 640, "height": 480, "classes": {"1": "", "2": ""}}
    assert look.given == {"still": "gate.png"}
    assert len(look.drawn["tracks"]["ways"]) == 2
    assert look.drawn["tracks"]["right"] == 240.0  # the second object's left at 200, 40 wide


def test_points_on_a_plan(tmp_path: Path) -> None:
    path = tmp_path / "plan.csv"
    path.write_text("t_s,id,x_m,y_m,class\n" + "".join(f"{n},7,{n},2,person\n" for n in range(9)))
    look = look_at(path, DEFAULT)
    assert (look.kinds, look.length_s, look.asked) == (("plan-tracks",), {"": 8.0}, {"plan-tracks": []})


def test_metadata_tells_when_it_began(tmp_path: Path) -> None:
    at = datetime(2026, 3, 4, 5, 12, tzinfo=UTC).timestamp()
    frames = b"".join(
        write_frame(at + n, [Seen(1, (10.0 * n, 5, 20, 40), 0.9, "person", None)], width=100, height=100)
        .split(b"<ns0:VideoAnalytics>")[1]
        .split(b"</ns0:VideoAnalytics>")[0]
        for n in range(3)
    )  # fmt: skip
    head = b'<ns0:MetadataStream xmlns:ns0="http://www.onvif.org/ver10/schema"><ns0:VideoAnalytics>'
    path = tmp_path / "yard.xml"
    path.write_bytes(head + frames + b"</ns0:VideoAnalytics></ns0:MetadataStream>")
    look = look_at(path, DEFAULT)
    assert (look.begins, look.length_s) == ({"": "2026-03-04T05:12:00+00:00"}, {"": 2.0})
    assert keys(look) == {"tracks": ["width", "height"]}


@pytest.mark.parametrize(("scale", "offset"), [(0.01, -273.15), (0.04, -273.15), (0.1, -273.15)])
def test_the_scale_of_raw_counts_is_guessed_from_what_is_likely(tmp_path: Path, scale: float, offset: float) -> None:
    """Counts in hundredths, 25ths or tenths of a kelvin (common practice, no source): a room of 21 °C is told apart in each."""
    pages = np.full((5, 6, 8), round((21 - offset) / scale), np.uint16)
    tifffile.imwrite(tmp_path / "room.tif", pages, photometric="minisblack")
    look = look_at(tmp_path / "room.tif", DEFAULT)
    assert (look.guess["scale"], look.guess["offset"]) == (scale, offset)
    assert (look.samples, look.guess["width"], look.guess["height"]) == (5, 8, 6)
    assert keys(look) == {"heat": ["fps", "scale", "offset"]}
    with_times = look_at(tmp_path / "room.tif", DEFAULT, ("times.csv",))
    assert (with_times.given, keys(with_times)) == ({"times": "times.csv"}, {"heat": ["scale", "offset"]})


def test_matrices_in_a_zip(tmp_path: Path) -> None:
    with zipfile.ZipFile(tmp_path / "m.zip", "w") as archive:
        for n in range(4):
            archive.writestr(f"{n}.csv", "20.5,21\n22,23\n")
    look = look_at(tmp_path / "m.zip", DEFAULT)
    assert (look.samples, look.guess, keys(look)) == (4, {"width": 2, "height": 2}, {"heat": ["fps"]})


@pytest.mark.parametrize(
    ("name", "text", "told"),
    [
        ("film.mp4", "x", "a file .mp4 is not read"),
        ("picture.csv", "\n".join(",".join("20.5" for _ in range(40)) for _ in range(30)), "a single picture"),
        ("empty.csv", "", "no row of data"),
        ("words.csv", "a,b\nx,y\n", "no column of readings"),
        ("bad.tif", "II*", "bad.tif"),
        ("bad.zip", "PK", "bad.zip"),
        ("bad.xml", "<a>", "bad.xml"),
    ],
)
def test_what_nobody_could_describe_is_refused(tmp_path: Path, name: str, text: str, told: str) -> None:
    (tmp_path / name).write_text(text)
    with pytest.raises(Refused, match="expected") as refused:
        look_at(tmp_path / name, DEFAULT)
    assert told in str(refused.value)
