"""The limits of docs/files.md: at each of them a value is taken, beyond it refused, with the place."""

from __future__ import annotations

import json
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import tifffile

from lantern.core.faults import Refused
from lantern.formats.limits import Limits
from lantern.formats.tables import read_hand_counts, read_marks, read_series
from lantern.signals.takes import open_take
from lantern.signals.tracks.mot import read_mot, read_plan_tracks
from lantern.signals.tracks.onvif import read_onvif
from takes_on_disk import INFO, pictures, raw, tiff_take

DAY_S = 86_400
START = datetime(2026, 3, 4, 4, 12, tzinfo=UTC)


def faults_of(call: Any, *args: Any, **how: Any) -> list[str]:
    """What is refused, fault by fault; nothing where it is taken."""
    try:
        call(*args, **how)
    except Refused as error:
        return [str(fault) for fault in error.faults]
    return []


def mot(row: str) -> list[str]:
    return faults_of(read_mot, f"1,1,10,10,8,8,0.9,1,1\n{row}\n".encode(), where="g.csv", fps=10)


@pytest.mark.parametrize(
    ("good", "bad", "column"),
    [
        ("2,1,-1000000,10,8,8,0.9,1,1", "2,1,-1000001,10,8,8,0.9,1,1", "left"),
        ("2,1,10,999992,8,8,0.9,1,1", "2,1,10,999993,8,8,0.9,1,1", "height"),
        ("2,1,10,10,0.001,8,0.9,1,1", "2,1,10,10,0,8,0.9,1,1", "width"),
        ("2,1,10,10,8,8,-1,1,1", "2,1,10,10,8,8,-0.5,1,1", "confidence"),
        ("2,1,10,10,8,8,100,1,1", "2,1,10,10,8,8,100.5,1,1", "confidence"),
        ("2,9007199254740991,10,10,8,8,1,1,1", "2,9007199254740993,10,10,8,8,1,1,1", "id"),
        ("345600000,1,10,10,8,8,1,1,1", "345600002,1,10,10,8,8,1,1,1", "the last frame"),
    ],
)
def test_tracks_in_a_picture(good: str, bad: str, column: str) -> None:
    assert mot(good) == []
    [fault] = mot(bad)
    assert fault.startswith("g.csv, ")
    assert column in fault.split(":")[0]


@pytest.mark.parametrize(
    ("good", "bad", "column"),
    [
        ("0,a,100000,0,,", "0,a,100001,0,,", "x_m"),
        ("0,a,0,-100000,,", "0,a,0,-1e6,,", "y_m"),
        ("0,a,0,0,,10", "0,a,0,0,,10.1", "height_m"),
        ("0,a,0,0,,0.1", "0,a,0,0,,0", "height_m"),
        ("34560000,a,0,0,,", "34560001,a,0,0,,", "t_s"),
        ("0,a,0,0,,", "-0.5,a,0,0,,", "t_s"),
        ("0,9007199254740991,0,0,,", "0,9007199254740992,0,0,,", "id"),
        ("0,²,0,0,,", "0," + "9" * 5000 + ",0,0,,", "id"),
    ],
)
def test_tracks_on_a_plan(good: str, bad: str, column: str) -> None:
    header = "t_s,id,x_m,y_m,class,height_m\n"
    assert faults_of(read_plan_tracks, (header + good).encode(), where="p.csv") == []
    faults = faults_of(read_plan_tracks, (header + bad).encode(), where="p.csv")
    assert any(column in fault.split(":")[0] for fault in faults), faults


def stream(
    box: str = "", *, inside: str = "", likelihood: str = "0.5", height: str = "170", at: str = "04:12:01"
) -> list[str]:
    box = box or 'left="-0.2" top="0.5" right="-0.1" bottom="0.1"'
    text = (
        '<tt:MetadataStream xmlns:tt="http://www.onvif.org/ver10/schema" xmlns:bd="http://www.onvif.org/ver20/analytics/humanbody">'
        f'<tt:VideoAnalytics><tt:Frame UtcTime="2026-03-04T{at}Z">{inside}<tt:Object ObjectId="7"><tt:Appearance><tt:Shape>'
        f'<tt:BoundingBox {box}/></tt:Shape><tt:Class><tt:Type Likelihood="{likelihood}">person</tt:Type></tt:Class>'
        f"<tt:HumanBody><bd:BodyMetric><bd:Height>{height}</bd:Height></bd:BodyMetric></tt:HumanBody></tt:Appearance>"
        "</tt:Object></tt:Frame></tt:VideoAnalytics></tt:MetadataStream>"
    )
    return faults_of(read_onvif, text.encode(), where="m.xml", start=START, width=1000, height=1000)


def test_metadata_streams() -> None:
    assert stream() == stream(likelihood="1") == stream(height="1000") == stream(likelihood="0") == []
    edge = 'left="-0.2" top="0.5" right="{}" bottom="0.1"'
    assert stream(edge.format(1999)) == []  # 1,000,000 px
    assert "a box from" in stream(edge.format(2001))[0]
    assert "Likelihood: 1.5; expected 0 to 1" in stream(likelihood="1.5")[0]
    assert "Height: '1001'" in stream(height="1001")[0]
    scaled = '<tt:Transformation><tt:Scale x="{}" y="1"/></tt:Transformation>'
    assert stream(inside=scaled.format("2")) == []
    assert "Scale, x" in stream(inside=scaled.format("a"))[0]
    assert "a box from" in stream(inside=scaled.format("1e300"))[0]
    assert "before the take's start" in stream(at="04:11:59")[0]


@pytest.mark.parametrize(
    ("good", "bad", "unit"),
    [
        ("1,10000", "1,10000.5", "°C"),
        ("1,-273.15", "1,-273.16", "°C"),
        ("1,-1e7", "1,-10000001", "kPa"),
        ("1,3", "1,1e99", ""),
    ],
)
def test_readings_by_their_unit(good: str, bad: str, unit: str) -> None:
    def read(row: str) -> list[str]:
        return faults_of(read_series, f"t_s,x\n0,1\n\n{row}\n".encode(), where="s.csv", units={"x": unit})

    assert read(good) == []
    [fault] = read(bad)
    assert fault.startswith("s.csv, line 4, x: ")


def test_marks_and_counts() -> None:
    header = b"start_s,end_s,label,detector,note\n"
    assert faults_of(read_marks, header + b"0,34560000,quiet,,", where="m.csv") == []
    assert "end_s: 3.456e+07 s" in faults_of(read_marks, header + b"0,34560001,quiet,,", where="m.csv")[0]
    counts = b"start_s,end_s,in,out\n0,60,%s,0\n"
    assert faults_of(read_hand_counts, counts % b"9007199254740991", where="c.csv") == []
    assert "in: " in faults_of(read_hand_counts, counts % b"9007199254740992", where="c.csv")[0]
    assert "in: " in faults_of(read_hand_counts, counts % (b"9" * 5000), where="c.csv")[0]


# ---- takes -----------------------------------------------------------------------------------------------------------


def opened(path: Path, limits: Limits = Limits()) -> list[str]:
    def look() -> None:
        with open_take(path, limits) as take:
            for _ in take.value.blocks() if take.signal.framed else ():
                pass

    return faults_of(look)


@pytest.mark.parametrize(
    ("good", "bad", "key"),
    [
        ({"start": "1990-01-01T00:00:00Z"}, {"start": "1989-12-31T23:59:59Z"}, "start"),
        ({"start": "2099-12-31T23:59:59Z"}, {"start": "2100-01-01T00:00:00Z"}, "start"),
        ({"start": "2026-03-04T05:12:00+01:00"}, {"start": "0001-01-01T00:00:00+01:00"}, "start"),
        ({"fps": 0.001}, {"fps": 1e-8}, "the last frame"),
        ({"distance_m": 100_000}, {"distance_m": 100_001}, "distance_m"),
        ({"air_c": -100}, {"air_c": -273.1}, "air_c"),
        ({"name": "n" * 200}, {"name": "n" * 201}, "name"),
        ({"name": "ü"}, {"name": "a\x00b"}, ""),
    ],
)
def test_what_a_take_says_of_itself(tmp_path: Path, good: dict, bad: dict, key: str) -> None:
    path = tiff_take(tmp_path, raw(pictures(4)))
    sidecar = path.with_name("a.tif.json")
    sidecar.write_text(json.dumps(INFO | good))
    assert opened(path) == []
    sidecar.write_text(json.dumps(INFO | bad))
    [fault] = opened(path)
    assert key in fault


@pytest.mark.parametrize("name", [".", "..", "./a.tif", "a\x00b", "x" * 300, "/etc/passwd", "../a.tif"])
def test_names_of_data_stay_in_the_folder_and_are_names(tmp_path: Path, name: str) -> None:
    tiff_take(tmp_path, raw(pictures(4)))
    (tmp_path / "take.json").write_text(json.dumps(INFO | {"data": name}))
    [fault] = opened(tmp_path)
    assert fault.startswith("take.json: data")


def test_pixels_are_temperatures(tmp_path: Path) -> None:
    celsius = np.full((3, 6, 8), 20.0, np.float32)
    for value, told in ((9999.0, []), (10_001.0, ["page 2"]), (-273.0, []), (-274.0, ["page 2"])):
        celsius[1, 2, 3] = value
        tifffile.imwrite(tmp_path / "a.tif", celsius, photometric="minisblack")
        (tmp_path / "a.tif.json").write_text(json.dumps(INFO))
        faults = opened(tmp_path / "a.tif")
        assert [word for word in told if "pixel (3, 2)" in faults[0] and word in faults[0]] == told
        assert bool(faults) == bool(told)
    wide = tiff_take(tmp_path, np.full((3, 6, 8), 65_535, np.uint16), "w.tif", scale=1)
    assert "look at scale and offset" in opened(wide)[0]


def test_times_begin_with_the_take(tmp_path: Path) -> None:
    path = tiff_take(tmp_path, raw(pictures(2)), fps=None, times="t.csv")
    for first, good in (("0", True), ("-0.5", False)):
        (tmp_path / "t.csv").write_text(f"t_s\n{first}\n1\n")
        assert (opened(path) == []) == good


@pytest.mark.parametrize(
    ("limits", "what"),
    [
        (Limits(frames=3), "more than 3 pages"),
        (Limits(pixels=47), "at most 47 in all"),
        (Limits(document_bytes=20), "larger than 20 bytes"),
    ],
)
def test_limits_are_settings(tmp_path: Path, limits: Limits, what: str) -> None:
    path = tiff_take(tmp_path, raw(pictures(4)))
    assert opened(path) == []
    assert what in opened(path, limits)[0]


def test_rows_and_cells_are_bounded_whichever_way_they_are_read() -> None:
    rows = "".join(f"{n},1,0,0,5,5\n" for n in range(1, 12))
    for text in (rows, rows.replace("\n", ' \n"', 1).replace("2,1", '2",1', 1)):  # the second needs the slow way
        assert faults_of(read_mot, text.encode(), where="g", fps=1, limits=Limits(rows=11)) == []
        assert (
            "at most 10 (a setting)" in faults_of(read_mot, text.encode(), where="g", fps=1, limits=Limits(rows=10))[0]
        )
    table = "t_s,a\n" + "".join(f"{n},1\n" for n in range(5))
    for text in (table, table.replace("4,1", '"4",1')):
        assert faults_of(read_series, text.encode(), where="s", limits=Limits(cells=10)) == []
        assert "at most 9 values" in faults_of(read_series, text.encode(), where="s", limits=Limits(cells=9))[0]
