"""Tracks from files: the MOTChallenge layout, ONVIF metadata, plan points; what is refused, and where it says it stands."""

from __future__ import annotations

import json
from datetime import datetime
from pathlib import Path

import numpy as np
import pytest

from checks import check
from lantern.core.faults import Refused
from lantern.signals.takes import open_take
from lantern.signals.tracks.mot import read_mot, read_plan_tracks
from lantern.signals.tracks.onvif import read_onvif

START = datetime.fromisoformat("2026-03-04T05:12:00+00:00")
MOT = b"1,7,100,200,40,80,0.9,1,1\n2,7,104,200,40,80,0.8,2,1\n2,9,0,0,10,20,1,1,1\n"


def refused(call, *args, **how) -> str:
    with pytest.raises(Refused) as caught:
        call(*args, **how)
    return str(caught.value)


def test_the_challenge_layout_sorted_by_frame_or_by_id() -> None:
    for data in (MOT, b"\n".join(sorted(MOT.split(), key=lambda r: r.split(b",")[1]))):
        got = read_mot(data, where="gt.txt", fps=25, classes={"1": "person", "2": "bicycle"})
        assert got.ids == (7, 9)
        assert got.t_s.tolist() == [0, 0.04, 0.04]
        assert got.box[0].tolist() == [100, 200, 40, 80]
        assert [got.classes[k] for k in got.label] == ["person", "bicycle", "person"]
        assert got.confidence.tolist() == [0.9, 0.8, 1]
        assert got.anchors("foot")[0].tolist() == [120, 280]
        assert got.length_s == 0.04


def test_six_columns_and_ten_are_read_and_a_class_of_minus_one_is_unknown() -> None:
    assert read_mot(b"1,1,0,0,5,5\n", where="f", fps=10).classes == ()
    ten = read_mot(b"1,1,0,0,5,5,1,-1,-1,-1\n", where="f", fps=10)
    assert ten.label.tolist() == [-1]


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"1,1,0,0,5\n", "line 1: 5 columns; expected 6 to 10"),
        (b"1,1,0,0,5,5\n2,1,0,0,5,5,1\n", "line 2: 7 columns; expected 6 as in line 1"),
        (b"1,1,0,0,-5,5\n", "line 1, width: not above 0: -5"),
        (b"1,1,0,0,5,0\n", "line 1, height: not above 0: 0"),
        (b"1,1,nan,0,5,5\n", "line 1, left"),
        (b"1,1,0,0,5,five\n", "line 1, height"),
        (b"0,1,0,0,5,5\n", "line 1, frame: no frame number: 0"),
        (b"1.5,1,0,0,5,5\n", "line 1, frame"),
        (b"3,1,0,0,5,5\n2,1,0,0,5,5\n", "line 2, frame: id 1 goes back to frame 2"),
        (b"3,1,0,0,5,5\n3,1,0,0,6,6\n", "line 2, id: id 1 has two boxes in frame 3"),
        (b"", "no row of data"),
    ],
)
def test_bad_rows_are_named(data: bytes, words: str) -> None:
    assert words in refused(read_mot, data, where="gt.txt", fps=25)


def test_all_faults_are_told_up_to_fifty() -> None:
    data = b"".join(b"%d,1,0,0,-1,5\n" % i for i in range(1, 200))
    assert len(refused(read_mot, data, where="f", fps=25).splitlines()) == 50


def test_plan_tracks() -> None:
    got = read_plan_tracks(b"t_s,id,x_m,y_m,class\n0,a,1,2,person\n0.5,a,2,2,person\n0.5,b,9,9,\n", where="p.csv")
    assert (got.ids, got.on_plan, got.classes) == (("a", "b"), True, ("person",))
    assert got.anchors("foot").tolist() == [[1, 2], [2, 2], [9, 9]]
    assert got.height_m is None
    tall = read_plan_tracks(b"t_s,id,x_m,y_m,class,height_m\n0,a,1,2,person,1.75\n0.5,a,2,2,person,\n", where="p.csv")
    assert tall.height_m is not None
    assert tall.height_m[0] == 1.75
    assert np.isnan(tall.height_m[1])
    for data, words in (
        (b"t,id\n", "line 1: header"),
        (b"t_s,id,x_m,y_m,class,height_m\n1,a,0,0,,-1\n", "line 2, height_m: -1"),
        (b"t_s,id,x_m,y_m,class,height_m\n1,a,0,0,\n", "line 2: 5 columns"),
        (b"t_s,id,x_m,y_m,class,tall_m\n1,a,0,0,,1\n", "line 1: header"),
        (b"t_s,id,x_m,y_m,class\n1,a,0,0,\n1,a,0,0,\n", "line 3, t_s: 1 of id a does not follow 1"),
        (b"t_s,id,x_m,y_m,class\n1,a,inf,0,\n", "line 2, x_m"),
    ):
        assert words in refused(read_plan_tracks, data, where="p.csv")


# ---- ONVIF -----------------------------------------------------------------------------------------------------------


def stream(*frames: str) -> bytes:
    head = '<?xml version="1.0"?><tt:MetadataStream xmlns:tt="http://www.onvif.org/ver10/schema"><tt:VideoAnalytics>'
    return (head + "".join(frames) + "</tt:VideoAnalytics></tt:MetadataStream>").encode()


def frame(second: float, *objects: str, inside: str = "") -> str:
    return f'<tt:Frame UtcTime="2026-03-04T05:12:{second:06.3f}Z">{inside}{"".join(objects)}</tt:Frame>'


def thing(name: str, left: float, top: float, right: float, bottom: float, kind: str = "") -> str:
    box = f'<tt:Shape><tt:BoundingBox left="{left}" top="{top}" right="{right}" bottom="{bottom}"/></tt:Shape>'
    return f'<tt:Object ObjectId="{name}"><tt:Appearance>{box}{kind}</tt:Appearance></tt:Object>'


CANDIDATES = (
    "<tt:Class><tt:ClassCandidate><tt:Type>Animal</tt:Type><tt:Likelihood>0.3</tt:Likelihood></tt:ClassCandidate>"
    "<tt:ClassCandidate><tt:Type>Human</tt:Type><tt:Likelihood>0.6</tt:Likelihood></tt:ClassCandidate></tt:Class>"
)


def read(data: bytes, width: int = 1920, height: int = 1080):
    return read_onvif(data, where="m.xml", start=START, width=width, height=height)


def test_normalised_coordinates_become_pixels_as_published() -> None:
    inputs, expected = check("B16")
    got = read(stream(frame(1, thing("5", inputs["x"], inputs["y"], 0.5, -0.9))), inputs["W"], inputs["H"])
    assert got.box[0, :2].tolist() == expected
    assert got.t_s.tolist() == [1.0]
    assert got.ids == (5,)


def test_classes_in_both_forms_and_objects_that_vanish() -> None:
    newer = '<tt:Class><tt:Type Likelihood="0.8">Vehicle</tt:Type></tt:Class>'
    data = stream(
        frame(0, thing("1", -0.5, 0.5, 0, 0, CANDIDATES), thing("2", 0, 0.5, 0.5, 0, newer)),
        frame(0.2, thing("1", -0.4, 0.5, 0.1, 0, CANDIDATES)),
        frame(0.4, inside='<tt:ObjectTree><tt:Delete ObjectId="1"/></tt:ObjectTree>'),
    )
    got = read(data)
    assert [got.classes[k] for k in got.label] == ["Human", "Human", "Vehicle"]
    assert got.confidence.tolist() == [0.6, 0.6, 0.8]
    assert (len(got), got.length_s) == (3, 0.4)  # the last frame is part of the take although it is empty


def test_a_frames_own_transformation_comes_first() -> None:
    moved = '<tt:Transformation><tt:Translate x="-1" y="1"/><tt:Scale x="0.002" y="-0.004"/></tt:Transformation>'
    got = read(stream(frame(0, thing("1", 100, 50, 200, 150), inside=moved)), 1000, 500)
    assert got.box[0].tolist() == pytest.approx([100, 50, 100, 100])


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (stream(frame(2), frame(1)), "frame 2: 1 s does not follow 2 s"),
        (stream(frame(0, thing("1", 0, 0.5, 0.5, 0), thing("1", 0, 0.5, 0.5, 0))), "object 1 has two boxes"),
        (stream(frame(0, thing("1", 0.5, 0.5, 0, 0))), "object 1: a box of -480 x 270 pixels"),
        (stream(frame(0, thing("1", float("nan"), 0.5, 0, 0))), "object 1, left"),
        (stream('<tt:Frame UtcTime="soon"/>'), "frame 1, UtcTime: 'soon'"),
        (stream('<tt:Frame UtcTime="2026-03-04T05:11:00Z"/>'), "60 s before the take's start"),
        (stream(), "holds no tt:Frame"),
        (stream(frame(0, thing("1", 0, 0.5, 0.5, 0)))[:-40], "not whole XML"),
        (
            b'<?xml version="1.0"?><!DOCTYPE a [<!ENTITY b "c"><!ENTITY d "&b;&b;">]><a>&d;</a>',
            "entities or a document type",
        ),
    ],
)
def test_bad_streams_are_named(data: bytes, words: str) -> None:
    assert words in refused(read, data)


# ---- as takes --------------------------------------------------------------------------------------------------------


def take(folder: Path, name: str, data: bytes, **info: object) -> Path:
    path = folder / name
    path.write_bytes(data)
    keys = {"format": "lantern-take/1", "name": "T", "device": "V2", "start": START.isoformat()} | info
    path.with_name(name + ".json").write_text(json.dumps(keys))
    return path


def test_takes_of_tracks_open_by_their_kind(tmp_path: Path) -> None:
    with open_take(take(tmp_path, "gt.txt", MOT, kind="tracks", fps=25, classes={"1": "person"})) as opened:
        assert opened.value.classes == ("2", "person")
    xml = stream(frame(0, thing("1", -0.5, 0.5, 0, 0)))
    with open_take(take(tmp_path, "m.xml", xml, kind="tracks", width=100, height=100)) as opened:
        assert np.allclose(opened.value.box, [[25, 25, 25, 25]])
    for name, keys, word in (
        ("a.txt", {}, "fps: is missing"),
        ("b.xml", {"fps": 5}, "width: is missing"),
        ("c.txt", {"fps": 5, "classes": {"x": "y"}}, "a class number"),
    ):
        with pytest.raises(Refused, match=word), open_take(take(tmp_path, name, MOT, kind="tracks", **keys)):
            pass
