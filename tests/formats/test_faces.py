"""Looks of a face device from a file and back, and through the store's packing; every fault with its line and column."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from lantern.core.faces.looks import Look, Looks
from lantern.core.faults import Refused
from lantern.signals.faces.list_files import read_members, write_members
from lantern.signals.faces.signal import FaceLooks, FacesInfo
from lantern.signals.faces.table import COLUMNS, read_faces, write_faces
from lantern.signals.signal import Stored
from lantern.signals.takes import open_take

HEADER = ",".join(COLUMNS)
INFO = {
    "format": "lantern-take/1", "name": "door", "kind": "faces", "device": "F1", "start": "2026-03-04T05:12:00+01:00",
    "score_min": 0, "score_max": 100,
}  # fmt: skip


def read(*rows: str, header: str = HEADER, scale: tuple[float, float] | None = (0.0, 100.0)) -> Looks:
    return read_faces("\n".join([header, *rows]).encode(), where="looks.csv", scale=scale)


def test_all_rows_of_a_probe_are_one_look_in_order_of_time_with_its_groups() -> None:
    looks = read("5,b,ada,80,1,day", "5,b,bo,20,0,day", "1,a,ada,30,,night", header=HEADER + ",light")
    assert looks.t_s.tolist() == [1.0, 5.0]
    assert looks.probe == ("a", "b")
    assert looks.first.tolist() == [0, 1, 3]
    assert [looks.candidate.at(row) for row in range(3)] == ["ada", "ada", "bo"]
    assert looks.mated.tolist() == [-1, 1, 0]
    assert looks.group_of(1) == {"light": "day"}
    assert looks.greatest.tolist() == [30.0, 80.0]


def test_a_probe_that_comes_twice_is_one_look_and_told() -> None:
    looks = read("1,a,ada,80,1", "2,b,ada,10,0", "3,a,bo,20,0")
    assert (looks.probe, looks.t_s.tolist()) == (("a", "b"), [1.0, 2.0])
    assert [looks.candidate.at(row) for row in range(2)] == ["ada", "bo"]
    assert looks.told == ("Probe a came more than once: all its rows are taken for one look, at the time of the first",)
    assert not read("1,a,ada,80,1", "1,a,bo,20,0").told


@pytest.mark.parametrize(
    ("row", "said"),
    [
        ("1,a,ada,100.5,1", "looks.csv, line 2, score"),
        ("1,a,ada,nan,1", "looks.csv, line 2, score"),
        ("1,a,ada,80,yes", "looks.csv, line 2, mated"),
        ("-1,a,ada,80,1", "looks.csv, line 2, t_s"),
        ("1,,ada,80,1", "looks.csv, line 2, probe"),
        ("1,a,,80,1", "looks.csv, line 2, candidate"),
        ("1,a,ada,80", "4 columns"),
    ],
)
def test_what_is_wrong_with_a_row_is_said_with_its_place(row: str, said: str) -> None:
    with pytest.raises(Refused, match=said):
        read(row)


def test_a_look_has_the_time_of_its_first_row_whatever_the_others_say() -> None:
    looks = read("2,a,ada,80,1", "1,a,bo,80,1", "1.5,b,bo,80,1")
    assert (looks.probe, looks.t_s.tolist()) == (("b", "a"), [1.5, 2.0])
    assert "Probe a came more than once" in looks.told[0]


def test_headers_are_as_agreed() -> None:
    with pytest.raises(Refused, match="line 1"):
        read("1,a,ada,80,1", header=HEADER.replace("probe", "face"))
    with pytest.raises(Refused, match="no row of data"):
        read()


def test_out_and_in_again_is_the_same_through_files_and_through_the_store(tmp_path: Path) -> None:
    looks = read("5,=b,ada,80.25,1,day,", "5,=b,bo,20,0,day,cap", "1,a,ada,30,,night,", header=HEADER + ",light,head")
    again = read_faces(write_faces(looks).encode(), where="x", scale=(0.0, 100.0))
    signal = FaceLooks()
    info = FacesInfo.model_validate(INFO | {"algorithm": "x 1.2", "best": 2})
    facts = json.loads(json.dumps(signal.facts(info, looks)))
    [(samples, pack)] = signal.pack(looks)
    data = pack()
    stored = signal.unpack(Stored(facts, np.zeros(0), samples, lambda: iter([(samples, data)])))
    for other in (again, stored):
        assert other.probe == looks.probe
        assert np.array_equal(other.score, looks.score)
        assert np.array_equal(other.first, looks.first)
        assert np.array_equal(other.mated, looks.mated)
        assert [other.group_of(at) for at in range(2)] == [looks.group_of(at) for at in range(2)]
    assert stored.scale == (0.0, 100.0)


def test_members_go_out_and_in_as_csv_and_each_stands_once() -> None:
    members = ["m-001", "=x", "a,b"]
    assert read_members(write_members(members).encode(), where="l.csv") == members
    for wrong, said in (
        (b"name\nm-1\n", "l.csv, line 1"),
        (b"member\nm-1\nm-1\n", "line 3, member.*stands in line 2 too"),
        (b'member\n""\n', "line 2, member: is empty"),
        (b"member\na,b\n", "2 columns"),
    ):
        with pytest.raises(Refused, match=said):
            read_members(wrong, where="l.csv")


def test_what_a_device_sent_is_a_take_without_a_word_of_who_it_was() -> None:
    signal = FaceLooks()
    first = [(0.0, [Look("a", (("ada", 80.0), ("bo", 10.0)), {"light": "even"})]), (0.5, [])]
    later = [(2.0, [Look("b", (("bo", 70.0),))]), (9.0, [Look("c", (("ada", 99.0),), late=True)])]
    whole = signal.joined([signal.piece(first, {}), signal.piece(later, {})], np.zeros(0))
    assert (whole.probe, whole.t_s.tolist(), whole.first.tolist()) == (("a", "b"), [0.0, 2.0], [0, 2, 3])
    assert [whole.candidate.at(row) for row in range(3)] == ["ada", "bo", "bo"]
    assert whole.mated.tolist() == [-1, -1, -1]
    assert [whole.group_of(at) for at in range(2)] == [{"light": "even"}, {"light": ""}]


def take(folder: Path, **more: object) -> Path:
    (folder / "looks.csv").write_text(f"{HEADER}\n1,a,ada,80,1\n1,a,bo,20,0\n")
    (folder / "looks.csv.json").write_text(json.dumps(INFO | more))
    return folder / "looks.csv"


def test_a_take_is_opened_and_a_distance_is_refused_with_how_to_turn_it(tmp_path: Path) -> None:
    with open_take(take(tmp_path, algorithm="x 1.2")) as opened:
        assert isinstance(opened.value, Looks)
        assert opened.value.algorithm == "x 1.2"
    for wrong, said in (
        ({"score_sense": "distance"}, "greatest distance minus"),
        ({"score_max": None}, "go together"),
        ({"score_min": 100}, "is not below"),
    ):
        with pytest.raises(Refused, match=said), open_take(take(tmp_path, **wrong)):
            pass


def test_scores_of_another_version_are_another_recording() -> None:
    looks = [Look("p", (("x", 9.0),), algorithm=version) for version in ("door 1", "door 2", None)]
    signal = FaceLooks()
    assert signal.alike([looks[0]], [looks[0]])
    assert signal.alike([looks[0]], [])
    assert not signal.alike([looks[0]], [looks[1]])
    assert signal.piece([(0.0, [looks[0]]), (1.0, [])], {}).algorithm == "door 1"
