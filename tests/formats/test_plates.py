"""Reads of a plate reader from a file and back; every fault with its line and column."""

from __future__ import annotations

from datetime import datetime

import numpy as np
import pytest

from core.plates.scenes import scene
from lantern.core.faults import Refused
from lantern.core.plates.reads import Reads
from lantern.signals.plates.table import COLUMNS, read_plates, write_plates

HEADER = ",".join(COLUMNS)
ROW = "1.5,v1,ab 12cde,0.9,0.9 0.8 0.9 0.9 0.9 0.9 0.9,10,20,60,13,0,0,200,150,AB12CDE"


def read(*rows: str, header: str = HEADER) -> Reads:
    return read_plates("\n".join([header, *rows]).encode(), where="reads.csv")


def test_what_is_written_is_read_again() -> None:
    reads = scene(4)[0]
    again = read_plates(write_plates(reads).encode(), where="reads.csv", start=reads.start)
    assert again.vehicle == reads.vehicle
    assert again.text == reads.text
    assert again.chars == reads.chars
    for name in ("t_s", "confidence", "plate", "car"):
        assert np.allclose(getattr(again, name), getattr(reads, name), equal_nan=True, atol=1e-6), name


def test_a_row_with_everything_and_one_with_the_least() -> None:
    made = read("2,v2,,0.5,,,,,,,,,,", ROW)
    assert made.vehicle == ("v1", "v2")  # by time
    assert made.text == ("ab 12cde", "")
    assert made.truth == ("AB12CDE", "")
    assert np.isnan(made.plate[1]).all()


def test_further_columns_are_kept() -> None:
    made = read(ROW + ",red,lorry", header=HEADER + ",colour,vehicle_type")
    assert made.also == {"colour": ("red",), "vehicle_type": ("lorry",)}


@pytest.mark.parametrize(
    ("row", "where", "what"),
    [
        (ROW.replace("0.9,0.9 ", "90,0.9 "), "line 2, confidence", "90"),
        (ROW.replace("0.8", "1.8"), "line 2, char_confidence", "1.8"),
        (ROW.replace("10,20", "10,"), "line 2, top", "is empty"),
        (ROW.replace("60,13", "60,0"), "line 2, height", "0"),
        (ROW.replace("v1", ""), "line 2, vehicle", "is empty"),
        (ROW.replace("1.5", "nan"), "line 2, t_s", "'nan'"),
        (ROW.replace("1.5", "-1"), "line 2, t_s", "-1 s"),
        (ROW + ",x", "line 2", "15 columns"),
    ],
)
def test_bad_rows_are_refused_with_their_place(row: str, where: str, what: str) -> None:
    with pytest.raises(Refused) as told:
        read(row)
    [fault] = told.value.faults
    assert (fault.where, what in fault.what) == (f"reads.csv, {where}", True)


def test_times_of_a_vehicle_run_forward() -> None:
    with pytest.raises(Refused, match=r"1 comes before 1\.5 of vehicle v1"):
        read(ROW, ROW.replace("1.5,", "1,"))
    assert len(read(ROW, ROW.replace("1.5,v1", "1,v2"))) == 2


def test_an_unknown_header_is_refused() -> None:
    with pytest.raises(Refused, match="line 1: header"):
        read(ROW, header="t,plate")


def test_a_read_falls_on_a_day_of_the_takes_own_zone() -> None:
    start = datetime.fromisoformat("2026-03-04T23:30:00+01:00")
    made = read_plates(f"{HEADER}\n{ROW}".encode(), where="reads.csv", start=start)
    assert [made.day(t).isoformat() for t in (0.0, 1799.9, 1800.0)] == ["2026-03-04", "2026-03-04", "2026-03-05"]
