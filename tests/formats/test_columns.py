"""Tables of readings as other programs write them: delimiters, decimal commas, times in many forms; every fault with its line."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lantern.core.faults import Refused
from lantern.formats.columns import layout_of, moment, read_columns, rising


def read(text: str, times: str | None = None, fps: float | None = None) -> tuple[list[float], dict[str, list[float]]]:
    t_s, columns = read_columns(text.encode(), where="f.csv", times=times, fps=fps)
    return t_s.tolist(), {name: x.tolist() for name, x in columns.items()}


def refused(text: str, times: str | None = None, fps: float | None = None) -> list[str]:
    with pytest.raises(Refused) as told:
        read(text, times, fps)
    return [str(fault) for fault in told.value.faults]


@pytest.mark.parametrize(
    ("text", "times"),
    [
        ("time,a,b\n0,21.5,3\n0.5,21.75,4\n1.5,22,5\n", "time"),
        ("time;a;b\n0;21,5;3\n0,5;21,75;4\n1,5;22;5\n", "time"),
        ("time\ta\tb\n10\t21.5\t3\n10.5\t21.75\t4\n11.5\t22\t5\n", "time"),
        ("ms,a,b\n0,21.5,3\n500,21.75,4\n1500,22,5\n", "ms"),
        ("stamp,a,b\n1772582400000,21.5,3\n1772582400500,21.75,4\n1772582401500,22,5\n", "stamp"),
        ("when,a,b\n2026-03-04 05:12:00,21.5,3\n2026-03-04 05:12:00.5,21.75,4\n2026-03-04 05:12:01.5,22,5\n", "when"),
        ("when,a,b\n2026-03-04T05:12:00Z,21.5,3\n2026-03-04T06:12:00.5+01:00,21.75,4\n2026-03-04T05:12:01.5Z,22,5\n", "when"),
        ("Datum;Zeit;a;b\n04.03.2026;05:12:00,0;21,5;3\n04.03.2026;05:12:00,5;21,75;4\n04.03.2026;05:12:01,5;22;5\n", "Zeit"),
        ("when;a;b\n04.03.2026 05:12:00;21,5;3\n04.03.2026 05:12:00,5;21,75;4\n04.03.2026 05:12:01,5;22;5\n", "when"),
        ("\ufefftime,\"a\",b\r\n0,21.5,3\r\n\r\n0.5,21.75,4\r\n1.5,22,5\r\n", "time"),
    ],
)  # fmt: skip
def test_the_same_readings_in_every_form(text: str, times: str) -> None:
    assert read(text, times) == ([0.0, 0.5, 1.5], {"a": [21.5, 21.75, 22.0], "b": [3.0, 4.0, 5.0]})


def test_so_many_rows_a_second_with_and_without_names() -> None:
    assert read("a,b\n1,2\n3,4\n", fps=4) == ([0.0, 0.25], {"a": [1.0, 3.0], "b": [2.0, 4.0]})
    assert read("1,2\n3,4\n", fps=4) == ([0.0, 0.25], {"column 1": [1.0, 3.0], "column 2": [2.0, 4.0]})


def test_a_time_of_day_goes_on_past_midnight() -> None:
    """23:59:59, 00:00:01, 00:00:02: two seconds and one. The next midnight too."""
    rows = ["23:59:59", "00:00:01", "00:00:02", "23:59:58", "00:00:00"]
    t_s, _ = read("clock,a\n" + "".join(f"{clock},1\n" for clock in rows), "clock")
    assert t_s == [0.0, 2.0, 3.0, 86_399.0, 86_401.0]


def test_a_column_of_words_is_left_out() -> None:
    assert list(read("time,state,a\n0,ok,1\n1,ok,2\n", "time")[1]) == ["a"]


def test_faults_have_line_and_column() -> None:
    text = "time;a\n0;1,5\n1;warm\n0,5;2\n2\n"
    assert refused(text, "time") == [
        "f.csv, line 3, a: 'warm'; expected a number",
        "f.csv, line 5: 1 columns; expected 2 as in the first row",
    ]
    assert refused("time;a\n0;1\n\n1;2\n0,5;2\n", "time") == [
        "f.csv, line 5, time: 0.5 does not follow 1; expected times that run forward"
    ]
    assert refused("1,5\n2,6\n2,20000000\n", fps=1) == ["f.csv, line 3, column 2: 2e+07; expected -1e+07 to 1e+07"]


@pytest.mark.parametrize(
    ("text", "times", "told"),
    [
        ("time,a\n0,1\n", "clock", "there is no column 'clock'"),
        ("time,a\n", "time", "no row of data"),
        ("", "time", "no row of data"),
        ("a,a\n1,2\n", "a", "two columns 'a'"),
        ("time,what\n0,x\n", "time", "no column of readings"),
        ("when,a\n2026-03-04 05:12:00,1\nlater,2\n", "when", "line 3, when: 'later'"),
        ("when,a\n2026-03-04 05:12:00,1\n2026-03-04T05:13:00Z,2\n", "when", "alike in all rows"),
        ("when,a\n03/04/2026 05:12,1\n", "when", "line 2, when"),
    ],
)
def test_what_cannot_be_read_is_said(text: str, times: str, told: str) -> None:
    assert any(told in line for line in refused(text, times)), refused(text, times)


def test_which_columns_may_be_times() -> None:
    text = b"temp,count,when\n40.5,1,2026-03-04 05:12:00\n40.2,2,2026-03-04 05:12:01\n40.9,3,2026-03-04 05:12:02\n"
    layout = layout_of(text, where="f")
    assert rising(text, layout, where="f") == ["when", "count"]
    assert layout.readings == ("temp", "count")


def test_a_day_first_date_is_no_american_one() -> None:
    """4 March: with dots the day comes first (DIN 5008, from memory); slashes are read by nobody alike, so they are refused."""
    found = moment("04.03.2026 05:12:00")
    assert (found.month, found.day) == (3, 4)  # type: ignore[union-attr]
    assert moment("04/03/2026 05:12:00") is None


@given(
    st.lists(st.floats(-200, 2000).map(lambda x: round(x, 3)), min_size=2, max_size=30),
    st.sampled_from([(",", "."), (";", ","), (";", "."), ("\t", ",")]),
)
def test_any_readings_in_any_layout(values: list[float], layout: tuple[str, str]) -> None:
    delimiter, point = layout
    rows = [f"{n}{delimiter}{value}".replace(".", point) for n, value in enumerate(values)]
    text = f"t{delimiter}reading\n" + "\n".join(rows) + "\n"
    assert read(text, "t") == ([float(n) for n in range(len(values))], {"reading": values})


def test_numpy_reads_the_same(tmp_path: Path) -> None:
    """Beside a reference library's reader."""
    rng = np.random.default_rng(7)
    table = np.column_stack((np.arange(2000) * 0.1, rng.normal(40, 5, (2000, 3)))).round(4)
    path = tmp_path / "f.csv"
    np.savetxt(path, table, delimiter=",", header="s,a,b,c", comments="", fmt="%.4f")
    again = np.genfromtxt(path, delimiter=",", names=True)
    t_s, columns = read_columns(path, where="f.csv", times="s", fps=None)
    assert np.allclose(t_s, again["s"], atol=1e-6)
    assert all(np.array_equal(columns[name], again[name]) for name in ("a", "b", "c"))
