"""Walks from files: GPX as its standard has it, CSV in metres, and what is wrong with either."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest

from lantern.core.faults import Refused
from lantern.core.promise.plan import Plan
from lantern.formats.walks import read_walk

START = datetime(2026, 3, 14, 6, 10, tzinfo=UTC)
PLAN = Plan(latitude=54.6, longitude=4.2)
# at 54.6 degrees a minute of latitude is 1855.6 m and one of longitude 1077.6 m: tables of geodesy, from memory
GPX = """<?xml version="1.0" encoding="UTF-8"?>
<gpx version="1.1" creator="a hand-held receiver" xmlns="http://www.topografix.com/GPX/1/1"><trk><trkseg>
<trkpt lat="54.6" lon="4.2"><time>2026-03-14T06:10:05Z</time></trkpt>
<trkpt lat="54.60166666667" lon="4.2"><time>2026-03-14T06:10:06.5Z</time></trkpt></trkseg><trkseg>
<trkpt lat="54.6" lon="4.21666666667"><time>2026-03-14T07:10:08+01:00</time></trkpt>
<trkpt lat="54.7" lon="4.3"/></trkseg></trk></gpx>"""


def test_a_track_lies_on_the_plan_with_its_times() -> None:
    walk = read_walk(GPX.encode(), name="walk.gpx", plan=PLAN, start=START, error_m=3.0)
    assert walk.t_s.tolist() == [5.0, 6.5, 8.0]
    assert walk.x_m == pytest.approx([0.0, 0.0, 1077.6], abs=0.5)
    assert walk.y_m == pytest.approx([0.0, 185.56, 0.0], abs=0.2)
    assert walk.error_m == 3.0


def test_metres_come_with_seconds_or_moments() -> None:
    by_seconds = read_walk(b"t_s,x_m,y_m\n1,10,20\n2.5,11,20\n", name="w.csv", plan=Plan(), start=START)
    by_moments = read_walk(
        b"at,x_m,y_m\n2026-03-14T06:10:01Z,10,20\n2026-03-14T07:10:02.5+01:00,11,20\n",
        name="w.csv",
        plan=Plan(),
        start=START,
    )
    assert by_seconds.t_s.tolist() == by_moments.t_s.tolist() == [1.0, 2.5]
    assert by_seconds.x_m.tolist() == by_moments.x_m.tolist() == [10.0, 11.0]


@pytest.mark.parametrize(
    ("name", "data", "said"),
    [
        ("w.gpx", b"<gpx", "is no GPX"),
        ("w.gpx", b'<!DOCTYPE gpx [<!ENTITY a "b">]><gpx/>', "is no GPX"),
        ("w.gpx", b'<gpx version="1.1" xmlns="http://www.topografix.com/GPX/1/1"/>', "0 points with a time"),
        ("w.csv", b"x,y\n1,2\n", "t_s,x_m,y_m or at,x_m,y_m"),
        ("w.csv", b"t_s,x_m,y_m\n1,2,3\n", "1 points with a time"),
        ("w.csv", b"t_s,x_m,y_m\n1,2,3\n1,2,4\n", "no later than the one before"),
        ("w.csv", b"t_s,x_m,y_m\n1,2,nan\n2,2,4\n", "line 2"),
        ("w.csv", b"at,x_m,y_m\n2026-03-14T06:10:01,2,3\n", "with its zone"),
        ("w.csv", b"t_s,x_m,y_m\n1,2,3\n2,90000,4\n", "km from the plan's origin"),
    ],
)
def test_what_is_no_walk_is_refused(name: str, data: bytes, said: str) -> None:
    with pytest.raises(Refused, match=said):
        read_walk(data, name=name, plan=PLAN, start=START)


def test_a_plan_that_lies_nowhere_on_the_earth_takes_no_track() -> None:
    with pytest.raises(Refused, match="no latitude and longitude"):
        read_walk(GPX.encode(), name="walk.gpx", plan=Plan(), start=START)
