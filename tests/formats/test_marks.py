"""Marks: read, written and read again; every bad line told."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lantern.core.faults import Refused
from lantern.core.scoring.marks import LABELS, Mark
from lantern.formats.tables import read_marks, write_marks

HEADER = "start_s,end_s,label,detector,note\n"


def test_marks_are_read() -> None:
    text = HEADER + '10,20.5,expect,,"a note, with comma"\n30,40,ignore,hot,\n'
    assert read_marks(text.encode(), where="m.csv") == [
        Mark(10, 20.5, "expect", "", "a note, with comma"),
        Mark(30, 40, "ignore", "hot", ""),
    ]
    assert read_marks(("\ufeff" + text).encode(), where="m.csv")  # as spreadsheets write it


def test_every_fault_is_told_with_its_line() -> None:
    text = HEADER + "20,10,expect,,\nx,5,expect,,\n1,2,maybe,,\n1,2\n-1,2,quiet,,\n1,nan,quiet,,\n"
    with pytest.raises(Refused) as caught:
        read_marks(text.encode(), where="m.csv")
    told = [str(fault) for fault in caught.value.faults]
    assert told[0] == "m.csv, line 2, end_s: 10 does not follow start_s 20; expected an end after the start"
    assert [t.split(":")[0] for t in told] == [
        "m.csv, line 2, end_s",
        "m.csv, line 3, start_s",
        "m.csv, line 4, label",
        "m.csv, line 5",
        "m.csv, line 6, start_s",
        "m.csv, line 7, end_s",
    ]


@pytest.mark.parametrize("data", [b"", b"start,end\n", b"\xff\xfe\x00"])
def test_what_is_no_marks_file(data: bytes) -> None:
    with pytest.raises(Refused):
        read_marks(data, where="m.csv")


texts = st.text(st.characters(blacklist_categories=("Cs", "Cc")), max_size=20).map(str.strip)
starts = st.integers(0, 10_000).map(lambda n: n / 8)


@given(
    st.lists(
        st.tuples(starts, st.integers(1, 800).map(lambda n: n / 8), st.sampled_from(LABELS), texts, texts), max_size=8
    )
)
def test_written_marks_read_back(rows: list) -> None:
    marks = [Mark(start, start + length, label, detector, note) for start, length, label, detector, note in rows]
    assert read_marks(write_marks(marks).encode(), where="m") == marks
